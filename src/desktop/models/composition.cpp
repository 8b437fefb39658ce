// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/composition.h"

#include <QCoreApplication>
#include <algorithm>
#include <map>

#include "desktop/style/words.h"

namespace zt::desktop {

namespace {

/// Kinds by the end of the name: sound, picture, video, archive, document, program, other.
int kindByName(std::string_view name) {
  static const std::map<std::string, int, std::less<>> kinds{
      {"wav", 0}, {"flac", 0},  {"mp3", 0}, {"ogg", 0}, {"opus", 0}, {"jpg", 1}, {"jpeg", 1}, {"png", 1},
      {"tif", 1}, {"tiff", 1},  {"svg", 1}, {"mp4", 2}, {"mkv", 2},  {"mov", 2}, {"avi", 2},  {"webm", 2},
      {"zip", 3}, {"gz", 3},    {"xz", 3},  {"zst", 3}, {"tar", 3},  {"deb", 3}, {"iso", 3},  {"img", 3},
      {"raw", 3}, {"qcow2", 3}, {"pdf", 4}, {"odt", 4}, {"ods", 4},  {"txt", 4}, {"db", 4},   {"md", 4},
      {"so", 5},  {"bin", 5},   {"a", 5},   {"o", 5},   {"h", 5}};
  const auto dot = name.rfind('.');
  if (dot == std::string_view::npos) return 6;
  std::string end(name.substr(dot + 1));
  std::transform(end.begin(), end.end(), end.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  const auto at = kinds.find(end);
  return at == kinds.end() ? 6 : at->second;
}

}  // namespace

Composition::Composition(std::shared_ptr<const FindContext> context)
    : keep_(std::move(context)), context_(*keep_) {
  const SurveyTree& t = context_.tree;
  folderIndex_.assign(t.size(), 0);
  std::uint32_t folders = 0;
  std::map<std::uint32_t, Bytes> byOwner;
  for (NodeId id = 0; id < t.size(); ++id) {
    if (t.isFolder(id)) folderIndex_[id] = folders++;
    byOwner[t.owner(id)] += t.occupied(id);
  }
  std::vector<std::pair<Bytes, std::uint32_t>> largest;
  for (const auto& [owner, bytes] : byOwner) largest.emplace_back(bytes, owner);
  std::sort(largest.rbegin(), largest.rend());
  for (std::size_t i = 0; i < std::min<std::size_t>(6, largest.size()); ++i)
    owners_.push_back(largest[i].second);
  for (auto& lens : folders_) lens.assign(folders, Parts{});
  for (NodeId id = t.size(); id-- > 0;) {
    const bool folder = t.isFolder(id);
    const NodeId up = t.parent(id);
    for (int l = 0; l < lenses; ++l) {
      auto& sums = folders_[static_cast<std::size_t>(l)];
      if (folder)
        sums[folderIndex_[id]][static_cast<std::size_t>(partOf(static_cast<Lens>(l), id))] += t.occupied(id);
      if (id == 0) continue;
      Parts& above = sums[folderIndex_[up]];
      if (folder) {
        const Parts& own = sums[folderIndex_[id]];
        for (std::size_t p = 0; p < lensParts; ++p) above[p] += own[p];
      } else {
        above[static_cast<std::size_t>(partOf(static_cast<Lens>(l), id))] +=
            t.isLinked(id) ? t.occupied(id) / 2 : t.occupied(id);
      }
    }
  }
}

int Composition::partOf(Lens lens, NodeId node) const {
  const SurveyTree& t = context_.tree;
  switch (lens) {
    case Lens::standing:
      return static_cast<int>(context_.standing[node]);
    case Lens::age:
      return static_cast<int>(ageBand(t.modified(node), context_.survey.finished));
    case Lens::kind:
      return t.isFolder(node) ? 6 : kindByName(t.name(node));
    case Lens::owner: {
      const auto at = std::find(owners_.begin(), owners_.end(), t.owner(node));
      return static_cast<int>(at - owners_.begin());
    }
  }
  return 6;
}

Composition::Parts Composition::parts(Lens lens, NodeId node) const {
  if (context_.tree.isFolder(node)) return folders_[static_cast<std::size_t>(lens)][folderIndex_[node]];
  Parts parts{};
  parts[static_cast<std::size_t>(partOf(lens, node))] = context_.tree.occupied(node);
  return parts;
}

QString Composition::partName(Lens lens, int part) const {
  static const char* const kinds[] = {"sound",     "pictures", "video", "archives and images",
                                      "documents", "programs", "other"};
  switch (lens) {
    case Lens::standing:
      return part < standings ? Words::standing(static_cast<Standing>(part)) : QString();
    case Lens::age:
      return Words::ageBand(static_cast<AgeBand>(part));
    case Lens::kind:
      return QCoreApplication::translate("Composition", kinds[part]);
    case Lens::owner:
      if (part < static_cast<int>(owners_.size()))
        return Words::owner(owners_[static_cast<std::size_t>(part)]);
      return part == lensParts - 1 ? QCoreApplication::translate("Composition", "others") : QString();
  }
  return {};
}

}  // namespace zt::desktop
