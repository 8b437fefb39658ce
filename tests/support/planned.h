// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/workshop.h"
#include "core/plan/proposer.h"
#include "core/reclaim/guard.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {

/// Places of a Linux system at the top of what is measured, or of none.
inline PlaceMap placesFor(bool system) {
  std::vector<SystemRoot> systems;
  if (system) systems.push_back({"", "", SystemFamily::linuxFamily, true, false});
  return PlaceMap(std::move(systems), {});
}

inline ContextPtr contextOf(SurveyPtr survey, bool system = false, FindOptions options = {}) {
  if (options.now == 0) options.now = survey->finished;
  return std::make_shared<FindContext>(std::move(survey), placesFor(system), std::move(options));
}

/// A measured tree with everything that planning needs. The tree must not change while the survey is to be
/// true.
struct Measured {
  explicit Measured(FileSystemPtr fs, const PathBytes& path = "/", bool system = false, TimeNs now = 0)
      : files(std::move(fs)), survey(surveyOf(files, path)) {
    FindOptions options;
    options.now = now != 0 ? now : survey->finished;
    options.largeBytes = 5'000;
    context = contextOf(survey, system, options);
    root = files->openRoot(path).value();
    auto detected = detectAll(craft->detectors, {context, files, root}, {}, {});
    for (Find& f : detected.finds) {
      priceOffers(f, craft->steps);
      finds.push_back(std::move(f));
    }
  }
  const Find* find(std::string_view kind, std::string_view path) const {
    for (const Find& f : finds)
      if (f.kind == kind &&
          (kind == "old" || kind == "trash" ? f.place == path : f.items.front().path == path))
        return &f;
    return nullptr;
  }
  PlanLine line(const PathBytes& path, std::string_view action = "discard") const {
    Find find = pickedFind(*context, survey->tree.find(path).value());
    priceOffers(find, craft->steps);
    return lineFor(find, craft->steps, action, marks).value();
  }
  GuardedDrive guarded(OpenFiles& open) const {
    return {files, borrowed(open), context, marks, root, "0123456789abcdef", {}};
  }
  Proposal propose(Bytes need, const ProposeOptions& options = {}) const {
    return zt::propose(finds, need, *context, craft->steps, marks, options);
  }

  std::shared_ptr<const Craft> craft = builtInCraft();
  FileSystemPtr files;
  std::shared_ptr<Survey> survey;
  ContextPtr context;
  FolderPtr root;
  std::vector<Find> finds;
  Marks marks;
};

}  // namespace zt::test
