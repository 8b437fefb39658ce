// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/find_list.h"

namespace zt {

const Find* FindList::find(std::string_view id) const {
  const auto found = at_.find(std::string(id));
  return found == at_.end() ? nullptr : finds_[found->second].get();
}

FindList FindList::marked(const Marks& marks, const Rest& rest) const {
  FindList list = *this;
  for (auto& find : list.finds_) {
    if (find->judged == Standing::bedrock || !marks.locks(*find)) continue;
    auto left = rest(*find);
    auto changed = std::make_shared<Find>(left ? std::move(*left) : *find);
    if (left)
      changed->facts.push_back({"kept-things", std::uint64_t{find->items.size() - changed->items.size()}});
    else
      changed->standing = Standing::kept;
    find = std::move(changed);
  }
  return list;
}

}  // namespace zt
