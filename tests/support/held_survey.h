// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <map>
#include <random>
#include <set>

#include "core/survey/survey.h"

namespace zt::test {

/// A survey of so many files in folders, with holdings as the files and `points` snapshots have them: who
/// holds each extent is known in `holders`, for plain counting.
struct HeldSurvey {
  struct Extent {
    Bytes bytes = 0;
    std::vector<std::size_t> files;  ///< places in `files`
    std::vector<std::uint32_t> outside;
  };
  std::shared_ptr<Survey> survey = std::make_shared<Survey>();
  std::vector<NodeId> files;
  std::vector<NodeId> folders;
  std::vector<Bytes> own;  ///< of each file, held by nobody else
  std::vector<Extent> extents;

  HeldSurvey(unsigned seed, std::size_t fileCount, std::uint32_t points) {
    std::mt19937_64 random(seed);
    GrowingTree& tree = survey->tree;
    GrowingTree::Writer writer;
    EntryStat folder;
    folder.kind = EntryKind::folder;
    folder.inode = 1;
    tree.addRoot(writer, folder);
    makeExtents(random, fileCount, points);
    std::vector<std::string> names;
    std::vector<GrowingTree::Entry> top;
    constexpr std::size_t folderCount = 5;
    for (std::size_t i = 0; i < folderCount; ++i) names.push_back("d" + std::to_string(i));
    for (std::size_t i = 0; i < folderCount; ++i) {
      folder.inode = 2 + i;
      top.push_back({names[i], folder});
    }
    const NodeId first = tree.addChildren(writer, 0, top).value();
    std::vector<std::vector<std::size_t>> in(folderCount);
    for (std::size_t f = 0; f < fileCount; ++f) in[random() % folderCount].push_back(f);
    files.resize(fileCount);
    for (std::size_t i = 0; i < folderCount; ++i) {
      folders.push_back(first + static_cast<NodeId>(i));
      std::vector<GrowingTree::Entry> entries;
      std::vector<std::string> fileNames;
      for (const std::size_t f : in[i]) fileNames.push_back("f" + std::to_string(f));
      for (std::size_t k = 0; k < in[i].size(); ++k) entries.push_back({fileNames[k], statOf(in[i][k])});
      const NodeId at = tree.addChildren(writer, folders.back(), entries).value();
      for (std::size_t k = 0; k < in[i].size(); ++k) files[in[i][k]] = at + static_cast<NodeId>(k);
    }
    tree.finish(std::move(writer.linked));
    hold(points);
  }

private:
  void makeExtents(std::mt19937_64& random, std::size_t fileCount, std::uint32_t points) {
    own.resize(fileCount);
    shared_.resize(fileCount);
    for (Bytes& bytes : own) bytes = 512 * (random() % 20);
    for (std::size_t e = 0; e < fileCount * 2; ++e) {
      Extent extent;
      extent.bytes = 4096 * (1 + random() % 50);
      std::set<std::size_t> holders;
      for (auto draws = random() % 5; draws > 0; --draws) holders.insert(random() % fileCount);
      extent.files.assign(holders.begin(), holders.end());
      for (const std::size_t f : extent.files) shared_[f] += extent.bytes;
      if (points > 0 && random() % 2 == 0) {
        const auto from = static_cast<std::uint32_t>(random() % points);
        for (std::uint32_t p = from; p < points && (p == from || random() % 3 != 0); ++p)
          extent.outside.push_back(p);
      }
      if (extent.files.size() + extent.outside.size() > 0) extents.push_back(std::move(extent));
    }
  }
  EntryStat statOf(std::size_t file) const {
    EntryStat s;
    s.kind = EntryKind::file;
    s.inode = 1000 + file;
    s.occupied = own[file] + shared_[file];
    s.mayShare = shared_[file] > 0;
    s.length = s.occupied;
    return s;
  }
  void hold(std::uint32_t points) {
    auto h = std::make_shared<Holdings>();
    for (std::uint32_t p = 0; p < points; ++p) {
      Point point;
      point.id = 300 + p;
      point.originUuid = "aa";
      point.uuid = std::to_string(p);
      point.path = "points/p" + std::to_string(p);
      point.taken = static_cast<TimeNs>(p + 1) * nsPerDay;
      h->points.push_back(std::move(point));
    }
    std::map<NodeId, std::vector<std::uint32_t>> held;
    std::map<NumberSets::Id, Bytes> outside;
    for (const Extent& e : extents) {
      std::vector<NumberSets::Run> runs;
      for (const std::uint32_t p : e.outside) runs.push_back({p, p + 1});
      const NumberSets::Id set = h->sets.of(std::move(runs));
      if (e.files.empty()) {
        outside[set] += e.bytes;
        continue;
      }
      const auto number = static_cast<std::uint32_t>(h->extents.size());
      h->extents.push_back({0, e.bytes, static_cast<std::uint32_t>(e.files.size()), set});
      for (const std::size_t f : e.files) held[files[f]].push_back(number);
    }
    for (const auto& [node, list] : held) {
      h->nodes.push_back(node);
      h->start.push_back(static_cast<std::uint32_t>(h->held.size()));
      h->held.insert(h->held.end(), list.begin(), list.end());
    }
    h->start.push_back(static_cast<std::uint32_t>(h->held.size()));
    for (const auto& [set, bytes] : outside) h->outside.push_back({set, bytes, 0});
    survey->holdings = std::move(h);
  }

  std::vector<Bytes> shared_;  ///< of each file, held together with others
};

}  // namespace zt::test
