// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/survey_store.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <future>

#include "core/plan/plan_json.h"
#include "core/survey/files/survey_codec.h"

namespace zt {

namespace {
/// Where the survey's root lies below the drive's top.
PathBytes inDrive(const Drive& drive, const PathBytes& root) {
  const PathBytes top = drive.target == "/" ? PathBytes{} : drive.target;
  return beneath(root, top) ? root.substr(top.size() + 1) : PathBytes{};
}
}  // namespace

ContextPtr SurveyStore::contextOf(const Site& site, SurveyPtr survey) const {
  if (!kinds_) kinds_ = std::make_shared<const KindTable>(KindTable::ofThisMachine().value_or(KindTable()));
  FindOptions options;
  options.now = survey->finished;
  options.kinds = *kinds_;
  options.owners = site.ownerNames(*survey);
  options.keepsAccessTimes = site.keepsAccessTimes();
  PlaceMap places(systemsSeen(site.drive(), *survey), inDrive(site.drive(), survey->root));
  return std::make_shared<const FindContext>(std::move(survey), std::move(places), std::move(options));
}

Result<SurveyStore::Prepared> SurveyStore::prepare(const Site& site, SurveyPtr survey,
                                                   const Watch& watch) const {
  Prepared prepared;
  // A job in memory keeps the survey itself.
  const bool inMemory = file_.path().empty();
  auto pieces = std::async(std::launch::async,
                           [&] { return inMemory ? std::vector<std::string>{} : encodeSurvey(*survey); });
  Content& content = prepared.content;
  content.survey = survey;
  content.context = contextOf(site, survey);
  DetectInput input{content.context, nullptr, nullptr};
  if (!site.closed()) {
    auto root = site.files()->openRoot(site.root());
    if (!root) return tl::unexpected(root.error());
    input.files = site.files();
    input.root = std::move(*root);
  }
  const auto found = [&](const Find& f) {
    if (watch.found) watch.found(content.context, f);
  };
  Detected detected = detectAll(workshop_.craft->detectors, input, watch.stop, found);
  if (detected.stopped && !survey->partial) return fail(Errc::cancelled, "detect", survey->root);
  for (Find& f : detected.finds) {
    priceOffers(f, workshop_.craft->steps);
    if (!inMemory) prepared.rows.push_back(toJson(f).dump());
  }
  content.problems = std::move(detected.problems);
  content.finds = std::make_shared<const FindList>(std::move(detected.finds));
  prepared.pieces = pieces.get();
  return prepared;
}

Result<void> SurveyStore::keep(Prepared prepared, const JobFile::Documents& documents) {
  const TimeNs taken = prepared.content.survey->finished;
  if (auto put = file_.putSurvey(prepared.pieces, prepared.rows, taken, documents); !put) return put;
  now_ = std::move(prepared.content);
  return {};
}

Result<void> SurveyStore::load(const Site& site) {
  const auto pieces = file_.newestSurvey();
  if (!pieces) return tl::unexpected(pieces.error());
  if (pieces->empty()) return {};
  auto survey = decodeSurvey(*pieces);
  if (!survey) return tl::unexpected(survey.error());
  const auto rows = file_.finds();
  if (!rows) return tl::unexpected(rows.error());
  const KnownKinds known{workshop_.craft->steps, workshop_.craft->detectors};
  std::vector<Find> finds;
  for (const auto& row : *rows) {
    auto find = findFromJson(parseJson(row), known);
    if (!find) return tl::unexpected(find.error());
    for (auto& item : find->items) {
      if (item.kind != SubjectKind::entry) continue;
      const auto node = (*survey)->tree.find(item.path);
      if (!node) return fail(Errc::corrupt, "finds", item.path);
      item.node = *node;
    }
    finds.push_back(std::move(*find));
  }
  now_.survey = *survey;
  now_.context = contextOf(site, std::move(*survey));
  now_.finds = std::make_shared<const FindList>(std::move(finds));
  return {};
}

const Find* SurveyStore::find(std::string_view id) const {
  return now_.finds ? now_.finds->find(id) : nullptr;
}

Result<std::vector<std::string>> SurveyStore::pick(const std::vector<PathBytes>& paths) {
  if (!now_.survey) return fail(Errc::notThere, "survey");
  absl::flat_hash_map<NodeId, std::string> alone;  ///< the first find that is of this thing alone
  for (const Find& f : *now_.finds)
    if (f.items.size() == 1 && f.items[0].node != noNode) alone.emplace(f.items[0].node, f.id);
  std::vector<std::string> ids;
  std::vector<NodeId> fresh;
  for (const PathBytes& path : paths) {
    if (!plainRelative(path)) return fail(Errc::outsideRoot, "plan", path);
    const auto node = now_.survey->tree.find(path);
    if (!node) return fail(Errc::notThere, "plan", path);
    if (now_.context->places.locked(path)) return fail(Errc::bedrock, "plan", path);
    const auto [at, isNew] = alone.emplace(*node, std::string());
    if (isNew) fresh.push_back(*node), at->second = pickedFind(*now_.context, *node).id;
    ids.push_back(at->second);
  }
  if (!fresh.empty()) addPicked(fresh);
  return ids;
}

void SurveyStore::addPicked(const std::vector<NodeId>& nodes) {
  FindList more = *now_.finds;
  for (const NodeId node : nodes) {
    Find find = pickedFind(*now_.context, node);
    priceOffers(find, workshop_.craft->steps);
    more.add(std::move(find));
  }
  now_.finds = std::make_shared<const FindList>(std::move(more));
}

void SurveyStore::applyMarks(const Marks& marks) {
  if (now_.finds) now_.finds = std::make_shared<const FindList>(now_.finds->marked(marks));
}

}  // namespace zt
