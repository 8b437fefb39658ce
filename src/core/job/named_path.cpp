// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/named_path.h"

#include "core/os/paths.h"

namespace zt {

Result<PathBytes> namedPath(const Workshop& workshop, const Job& job, std::string_view text) {
  const PathBytes said = unescapePath(text);
  if (said.empty()) return fail(Errc::badInput, "path");
  const auto plain = withoutDots(said);
  if (!plain) return fail(Errc::outsideRoot, "path", said);
  const SurveyPtr survey = job.surveys().survey();
  if (!survey) return fail(Errc::notThere, "survey");
  std::vector<PathBytes> meant;
  if (said.starts_with('/')) {
    const Site& site = job.site();
    const auto within = [&](const PathBytes& path, const PathBytes& root) {
      if (path == root) meant.emplace_back();
      const PathBytes top = root == "/" ? PathBytes{} : root;
      if (path != root && beneath(path, top)) meant.push_back(path.substr(top.size() + 1));
    };
    const PathBytes absolute = "/" + *plain;
    within(absolute, site.root());
    if (const auto resolved = canonicalPath(absolute)) within(*resolved, site.root());
    const auto there = pathInFileSystem(workshop, absolute);
    const auto here = pathInFileSystem(workshop, site.root());
    const auto one = onOneFileSystem(workshop, absolute, site.root());
    if (!site.drive().standIn && there && here && one && *one) within("/" + *there, "/" + *here);
  }
  meant.push_back(*plain);
  for (const PathBytes& path : meant)
    if (survey->tree.find(path)) return path;
  return fail(Errc::notThere, "path", said);
}

}  // namespace zt
