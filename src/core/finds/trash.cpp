// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/finds/detectors.h"
#include "core/finds/trash_info.h"

namespace zt {

namespace {

/// Every item in `files` with its info file, so that both go together. What the infos say is read where that
/// leaves no trace.
class Trash final : public Detector {
public:
  std::string_view id() const override { return "trash"; }
  Needs needs() const override { return Needs::survey; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    for (const NodeId trash : c.trashes) {
      if (stop.stop_requested()) return {};
      const auto content = c.tree.child(trash, "files");
      const auto infos = c.tree.child(trash, "info");
      if (!content || !infos || c.tree.totals(*content).children == 0) continue;
      if (!sink(findOf(input, trash, *content, *infos))) return {};
    }
    return {};
  }

private:
  Find findOf(const DetectInput& input, NodeId trash, NodeId content, NodeId infos) const {
    const FindContext& c = *input.context;
    Find find;
    find.kind = this->id();
    find.likelihood = 80;
    find.place = c.tree.path(trash);
    find.offers = {{"empty", {}, {}, {}}, {"hold", {}, {}, {}}};
    FolderPtr opened;
    if (input.files && input.root)
      opened = input.files->openBeneath(*input.root, c.tree.path(infos)).value_or(nullptr);
    std::uint64_t notRead = 0;
    const FolderTotals& t = c.tree.totals(content);
    const ChildIndex infoByName(c.tree, infos);
    for (NodeId id = t.firstChild; id < t.firstChild + t.children; ++id) {
      const NodeId info = infoByName.find(std::string(c.tree.name(id)) + ".trashinfo");
      Subject thrown = c.subject(id);
      if (info != noNode && !readInfo(input, opened, c.tree.name(info), thrown)) ++notRead;
      find.items.push_back(std::move(thrown));
      if (info != noNode) find.items.push_back(c.subject(info));
    }
    if (notRead > 0) find.facts.push_back({"infos-not-read", notRead});
    std::stable_sort(find.items.begin(), find.items.end(),
                     [](const Subject& a, const Subject& b) { return a.occupied > b.occupied; });
    c.complete(find);
    find.standing = find.judged = std::min(find.judged, Standing::ownersCall);
    find.regret = Regret::personalGone;
    find.owner = c.tree.owner(trash);
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }

  static bool readInfo(const DetectInput& input, const FolderPtr& folder, std::string_view name,
                       Subject& thrown) {
    if (!folder) return false;
    const auto text = input.files->readFile(*folder, name, 64 * 1024);
    if (!text) return false;
    if (const auto info = parseTrashInfo(*text)) {
      thrown.origin = info->path;
      thrown.deleted = info->deleted;
    }
    return true;
  }
};

}  // namespace

std::shared_ptr<const Detector> trashDetector() {
  return std::make_shared<Trash>();
}

}  // namespace zt
