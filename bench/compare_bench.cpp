// SPDX-License-Identifier: GPL-3.0-or-later
// Two surveys of a million entries compared, one in a hundred of them changed and a folder moved, against one
// pass over both. Prints the medians of five rounds each and their ratio.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <functional>

#include "core/history/comparison.h"
#include "core/survey/tree/tree_builder.h"

namespace {

using namespace zt;

double median(const std::function<void()>& work) {
  std::vector<double> all;
  for (int i = 0; i < 5; ++i) {
    const auto start = std::chrono::steady_clock::now();
    work();
    all.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  std::sort(all.begin(), all.end());
  return all[2];
}

SurveyPtr surveyOf(bool later) {
  constexpr std::uint64_t folders = 20'000, files = 49;
  auto survey = std::make_shared<Survey>();
  survey->driveId = "d";
  TreeBuilder builder;
  EntryStat folder;
  folder.kind = EntryKind::folder;
  folder.inode = 1;
  (void)builder.add(0, "", folder);
  TreeBuilder::Number above = 0;
  for (std::uint64_t f = 0; f < folders; ++f) {
    folder.inode = 10 + f * 100;
    folder.born = static_cast<TimeNs>(folder.inode) * 1'000'003;
    const std::string name = (later && f == 777 ? "moved" : "folder") + std::to_string(f);
    const auto at = builder.add(f % 50 == 0 ? 0 : above, name, folder).value();
    if (f % 50 == 0) above = at;
    for (std::uint64_t i = 0; i < files; ++i) {
      EntryStat file;
      file.inode = folder.inode + 1 + i;
      file.born = static_cast<TimeNs>(file.inode) * 1'000'003;
      file.length = file.occupied = 4096 * (1 + i);
      file.modified = later && (f * files + i) % 100 == 0 ? 2 : 1;
      if (later && (f * files + i) % 1000 == 1) continue;
      (void)builder.add(at, "file-" + std::to_string(later && (f * files + i) % 1000 == 2 ? i + 1000 : i),
                        file);
    }
  }
  (void)builder.build(survey->tree);
  return survey;
}

}  // namespace

int main() {
  const SurveyPtr a = surveyOf(false), b = surveyOf(true);
  std::size_t rows = 0;
  const double compared = median([&] { rows = compareSurveys(*a, *b, {}).value().rows.size(); });
  std::uint64_t sum = 0;
  const double passes = median([&] {
    for (const SurveyPtr& s : {a, b})
      for (NodeId id = 0; id < s->tree.size(); ++id) sum += s->tree.occupied(id) + s->tree.name(id).size();
  });
  std::printf("compare %u and %u entries: %.3f s (%zu rows), one pass over both %.3f s, ratio %.1f (%llu)\n",
              a->tree.entries(), b->tree.entries(), compared, rows, passes, compared / passes,
              static_cast<unsigned long long>(sum));
  return rows > 1 ? 0 : 1;
}
