// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/form_index.h"

#include <algorithm>

#include "core/base/string_key.h"

namespace zt {

namespace {
unsigned char lowerLetter(char c) {
  return static_cast<unsigned char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
}
}  // namespace

FormIndex::FormIndex(const PlaceMap& map) {
  names_[1].fold = true;
  for (std::size_t i = 0; i < map.layers().size(); ++i)
    for (const Form& form : map.layers()[i].catalogue->forms())
      if (map.layers()[i].speaks(*form.place))
        add(names_[foldsCase(map.layers()[i].catalogue->family())], static_cast<std::uint16_t>(i), form);
}

void FormIndex::add(Names& names, std::uint16_t layer, const Form& form) {
  Key key;
  key.candidate = {layer, &form, false};
  if (form.parts.empty()) {
    key.parent = true;
    for (const std::string& path : form.place->onlyIf.front().paths) {
      // Of a marker further down its first part lies in the form itself.
      const auto parts = splitPath(path);
      addName(names, names.fold ? lowered(parts[0]) : std::string(parts[0]), key);
    }
    return;
  }
  key.last = form.parts.size() - 1;
  if (form.parts[key.last].text() == "*" && key.last > 0) {
    --key.last;
    key.candidate.children = true;
  }
  addName(names, form.parts[key.last].text(), key);
}

void FormIndex::addName(Names& names, const std::string& text, const Key& key) {
  if (!NamePattern::isWild(text)) {
    names.exact[text].push_back(key);
    mayBegin_[lowerLetter(text.front())] = true;
    return;
  }
  NamePattern pattern(text);
  if (const auto ending = pattern.ending(); !ending.empty()) {
    names.endings[std::string(ending)].push_back(key);
    mayEnd_[lowerLetter(text.back())] = true;
    return;
  }
  if (text.front() != '*' && text.front() != '?' && text.front() != '[')
    mayBegin_[lowerLetter(text.front())] = true;
  else if (text.back() != '*' && text.back() != '?' && text.back() != ']')
    mayEnd_[lowerLetter(text.back())] = true;
  else
    mayBegin_.fill(true);
  names.others.emplace_back(std::move(pattern), key);
}

/// Takes a name that fits if what it lies in fits the form's outer parts.
void FormIndex::take(const Key& key, const SurveyTree& tree, NodeId id, bool fold, Candidates& all) const {
  NodeId node = id;
  if (key.parent) {
    node = tree.parent(id);
  } else {
    NodeId up = tree.parent(id);
    for (std::size_t part = key.last; part-- > 0; up = up == 0 ? noNode : tree.parent(up)) {
      if (up == noNode) return;
      const auto name = tree.name(up);
      if (!key.candidate.form->parts[part].fits(fold ? lowered(name) : std::string(name))) return;
    }
  }
  auto& known = all[node];
  const bool twice = std::any_of(known.begin(), known.end(), [&](const Candidate& c) {
    return c.form == key.candidate.form && c.layer == key.candidate.layer;
  });
  if (!twice) known.push_back(key.candidate);
}

void FormIndex::look(const Names& names, const SurveyTree& tree, NodeId id, std::string_view name,
                     Candidates& all) const {
  if (const auto at = names.exact.find(keyOf(name)); at != names.exact.end())
    for (const Key& key : at->second) take(key, tree, id, names.fold, all);
  if (const auto dot = name.rfind('.'); dot != std::string_view::npos)
    if (const auto at = names.endings.find(keyOf(name.substr(dot))); at != names.endings.end())
      for (const Key& key : at->second) take(key, tree, id, names.fold, all);
  for (const auto& [pattern, key] : names.others)
    if (pattern.fits(name)) take(key, tree, id, names.fold, all);
}

FormIndex::Candidates FormIndex::candidatesIn(const SurveyTree& tree) const {
  Candidates all;
  std::string low;  // a million names pass through it
  for (NodeId id = 1; id < tree.size(); ++id) {
    const auto name = tree.name(id);
    if (name.empty() || !(mayBegin_[lowerLetter(name.front())] || mayEnd_[lowerLetter(name.back())]))
      continue;
    if (tree.isGone(id)) continue;
    look(names_[0], tree, id, name, all);
    low.assign(name);
    for (char& c : low) c = static_cast<char>(lowerLetter(c));
    look(names_[1], tree, id, low, all);
  }
  return all;
}

}  // namespace zt
