// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/proposer.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {

/// A measured tree with everything that planning needs. The tree must not change while the survey is to be
/// true.
struct Measured {
  explicit Measured(FileSystem& fs, const PathBytes& path = "/", bool system = false, TimeNs now = 0)
      : files(fs), survey(surveyOf(fs, path)) {
    FindOptions options;
    options.now = now != 0 ? now : survey->finished;
    options.largeBytes = 5'000;
    context = std::make_unique<FindContext>(*survey, Catalogue::builtIn(), Anchor{"", system}, options, true);
    root = fs.openRoot(path).value();
    finds = detectAll(*context, fs, *root);
  }
  const Find* find(FindKind kind, std::string_view path) const {
    for (const Find& f : finds)
      if (f.kind == kind &&
          (kind == FindKind::old || kind == FindKind::trash ? f.place == path : f.items.front().path == path))
        return &f;
    return nullptr;
  }
  PlanLine line(const PathBytes& path, StepAction action = StepAction::discard) const {
    return lineFor(pickedFind(*context, survey->tree.find(path).value()), action).value();
  }
  GuardedDrive guarded(OpenFiles& open) const {
    return {files, open, *survey, Catalogue::builtIn(), context->anchor, root};
  }

  FileSystem& files;
  std::shared_ptr<Survey> survey;
  std::unique_ptr<FindContext> context;
  FolderPtr root;
  std::vector<Find> finds;
};

}  // namespace zt::test
