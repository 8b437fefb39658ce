// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/measurer.h"

#include <future>

#include "core/os/rights/fallback_file_system.h"

namespace zt {

Result<void> Measurer::measureWith(const Options& options, std::stop_token stop, const Making& making) {
  if (auto here = place_.refresh("measure"); !here) return here;
  rightsProblem_.reset();
  const Site& site = place_.site();
  FileSystemPtr files = site.files();
  std::shared_ptr<PrivilegedAccess> access;
  if ((options.everything || place_.withRights()) && site.takesRights()) {
    auto started = workshop_.privileged->start(site.root());
    if (started) {
      access = std::move(*started);
      place_.setWithRights();
      files = std::make_shared<FallbackFileSystem>(files, access);
    } else {
      rightsProblem_ = started.error();
    }
  }
  auto survey = making(site.measurePorts(std::move(files), access));
  if (!survey) return tl::unexpected(survey.error());
  if (options.walked) options.walked(*survey);
  return keep(std::move(*survey), {std::move(stop), options.found});
}

Result<void> Measurer::measure(const Options& options, std::stop_token stop, ProgressSink* progress) {
  return measureWith(options, stop, [&](const MeasurePorts& ports) {
    return zt::measure(ports, place_.site().drive(), place_.site().root(), options, stop, progress);
  });
}

Result<void> Measurer::measureAgain(const PathBytes& folder, const Options& options, std::stop_token stop,
                                    ProgressSink* progress) {
  const SurveyPtr before = surveys_.survey();
  if (!before) return fail(Errc::notThere, "survey");
  const auto node = before->tree.find(folder);
  if (!node) return fail(Errc::notThere, "survey", folder);
  if (!before->tree.isFolder(*node)) return fail(Errc::notAFolder, "survey", folder);
  if (*node == 0) return measure(options, stop, progress);
  return measureWith(options, stop, [&](const MeasurePorts& ports) {
    return zt::measureAgain(ports, place_.site().drive(), before, *node, options, stop, progress);
  });
}

Result<void> Measurer::keep(SurveyPtr survey, const SurveyStore::Watch& watch) {
  // Nobody waits for the register: it takes what it can while finds are made and saved.
  std::future<void> noted;
  if (!survey->partial) noted = std::async(std::launch::async, [&] { place_.noteLargeFiles(*survey); });
  auto prepared = surveys_.prepare(place_.site(), survey, watch);
  if (!prepared) return tl::unexpected(prepared.error());
  auto rebound = plan_.rebind(prepared->content);
  JobFile::Documents documents = place_.documents(false);
  documents.merge(plan_.documents(rebound.plan, rebound.marks));
  if (auto kept = surveys_.keep(std::move(*prepared), documents); !kept) return kept;
  plan_.adopt(std::move(rebound));
  place_.adopt(*survey);
  place_.noteVisit(*surveys_.context());
  return {};
}

}  // namespace zt
