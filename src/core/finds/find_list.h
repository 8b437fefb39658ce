// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <functional>
#include <iterator>
#include <memory>
#include <optional>

#include "core/finds/marks.h"

namespace zt {

/// Finds in their order, each shared: a list with one more or one changed costs pointers, not finds. A value;
/// what is in it never changes.
class FindList {
public:
  class Iterator {
  public:
    using iterator_category = std::forward_iterator_tag;
    using value_type = Find;
    using difference_type = std::ptrdiff_t;
    using pointer = const Find*;
    using reference = const Find&;
    explicit Iterator(const std::shared_ptr<const Find>* at = nullptr) : at_(at) {}
    reference operator*() const { return **at_; }
    pointer operator->() const { return at_->get(); }
    Iterator& operator++() { return ++at_, *this; }
    Iterator operator++(int) { return Iterator(at_++); }
    bool operator==(const Iterator&) const = default;

  private:
    const std::shared_ptr<const Find>* at_;
  };

  FindList() = default;
  explicit FindList(std::vector<Find> finds) {
    for (Find& f : finds) add(std::move(f));
  }
  void add(Find find) { add(std::make_shared<const Find>(std::move(find))); }
  void add(std::shared_ptr<const Find> find) {
    at_.emplace(find->id, finds_.size());
    finds_.push_back(std::move(find));
  }
  Iterator begin() const { return Iterator(finds_.data()); }
  Iterator end() const { return Iterator(finds_.data() + finds_.size()); }
  std::size_t size() const { return finds_.size(); }
  bool empty() const { return finds_.empty(); }
  const Find& operator[](std::size_t at) const { return *finds_[at]; }
  /// nullptr if there is none of that id.
  const Find* find(std::string_view id) const;
  /// What is left of a find that is kept in part; nothing if it is all of it or none.
  using Rest = std::function<std::optional<Find>(const Find&)>;
  /// The same finds as marks let them stand: without the things that somebody keeps, and kept where nothing
  /// else is left.
  FindList marked(const Marks& marks, const Rest& rest) const;

private:
  std::vector<std::shared_ptr<const Find>> finds_;
  absl::flat_hash_map<std::string, std::size_t> at_;  ///< by id
};

}  // namespace zt
