// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/find_list.h"

namespace zt {

const Find* FindList::find(std::string_view id) const {
  const auto found = at_.find(std::string(id));
  return found == at_.end() ? nullptr : finds_[found->second].get();
}

FindList FindList::marked(const Marks& marks) const {
  FindList list = *this;
  for (auto& find : list.finds_) {
    const bool kept = find->judged != Standing::bedrock && marks.locks(*find);
    const Standing wanted = kept ? Standing::kept : find->judged;
    if (find->standing == wanted) continue;
    auto changed = std::make_shared<Find>(*find);
    changed->standing = wanted;
    find = std::move(changed);
  }
  return list;
}

}  // namespace zt
