// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/tree_builder.h"

namespace zt {

Result<TreeBuilder::Number> TreeBuilder::add(Number parent, std::string_view name, const EntryStat& stat) {
  const auto number = static_cast<Number>(entries_.size());
  if (entries_.empty()) {
    if (stat.kind != EntryKind::folder) return fail(Errc::badInput, "import");
    entries_.push_back({0, {}, stat});
    return number;
  }
  const bool goodName = !name.empty() && name.size() <= 255 && name != "." && name != ".." &&
                        name.find('/') == std::string_view::npos && name.find('\0') == std::string_view::npos;
  if (parent >= number || number >= most || !goodName || !isFolder(parent))
    return fail(Errc::badInput, "import");
  if (!byName_.try_emplace(std::pair{parent, std::string(name)}, number).second)
    return fail(Errc::badInput, "import");
  entries_.push_back({parent, std::string(name), stat});
  return number;
}

std::optional<TreeBuilder::Number> TreeBuilder::child(Number folder, std::string_view name) const {
  const auto at = byName_.find(std::pair{folder, std::string(name)});
  return at == byName_.end() ? std::nullopt : std::optional(at->second);
}

Result<void> TreeBuilder::build(GrowingTree& tree) {
  if (entries_.empty()) return fail(Errc::badInput, "import");
  byName_.clear();
  std::vector<std::vector<Number>> children(entries_.size());
  for (Number n = 1; n < entries_.size(); ++n) children[entries_[n].parent].push_back(n);
  GrowingTree::Writer writer;
  std::vector<std::pair<Number, NodeId>> open{{0, tree.addRoot(writer, entries_[0].stat)}};
  std::vector<GrowingTree::Entry> list;
  while (!open.empty()) {
    const auto [number, node] = open.back();
    open.pop_back();
    list.clear();
    for (const Number n : children[number]) list.push_back({entries_[n].name, entries_[n].stat});
    const auto first = tree.addChildren(writer, node, list);
    if (!first) return tl::unexpected(first.error());
    for (std::size_t i = 0; i < list.size(); ++i)
      if (list[i].stat.kind == EntryKind::folder)
        open.emplace_back(children[number][i], *first + static_cast<NodeId>(i));
  }
  tree.finish(std::move(writer.linked));
  return {};
}

}  // namespace zt
