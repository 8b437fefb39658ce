// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/place_book.h"
#include "core/job/twins.h"

#include <algorithm>

#include "core/job/readings.h"
#include "core/job/register.h"
#include "core/os/paths.h"
#include "core/reclaim/held_things.h"

namespace zt {

PlaceBook::PlaceBook(const Workshop& workshop, JobFile& file)
    : workshop_(workshop), file_(file), identity_(newJobIdentity()) {}

Result<void> PlaceBook::checkHere(std::string_view operation) const {
  const auto why = site_->closed();
  if (!why) return {};
  return fail(*why, operation, site_->root(), *why == Errc::changed ? "another drive lies there now" : "");
}

Result<void> PlaceBook::refresh(std::string_view operation) {
  if (auto here = checkHere(operation); !here) return here;
  return site_->refresh();
}

Result<void> PlaceBook::take(SitePtr site) {
  site_ = std::move(site);
  if (workshop_.visits) noteHardware(site_->drive(), *workshop_.visits);
  if (workshop_.visits) site_->overrule(workshop_.visits->overrule(site_->drive().id));
  if (auto read = readAgain(); !read) return read;
  return file_.put(documents(reading_.stale));
}

void PlaceBook::takeImported(const Survey& survey) {
  site_ = importedSite(workshop_, survey);
}

JobFile::Documents PlaceBook::documents(bool stale) const {
  Json site{
      {"kind", site_->kind() == "away" ? (site_->drive().standIn ? "stand-in" : "mounted") : site_->kind()},
      {"drive", toJson(site_->drive())},
      {"stale", stale},
      {"everything", withRights_}};
  putPath(site, "path", site_->opened());
  putPath(site, "root", site_->root());
  return {{"site", site.dump()}, {"identity", Json{{"job", identity_}}.dump()}};
}

Result<void> PlaceBook::loadIdentity() {
  const auto text = file_.get("identity");
  if (!text) return tl::unexpected(text.error());
  if (!*text) return {};
  const Json json = parseJson(**text);
  JsonReader in(json);
  identity_ = in.text("job", 64);
  // It becomes the name of a folder on the drive.
  const bool plain =
      !identity_.empty() && identity_.find_first_not_of("0123456789abcdef") == std::string::npos;
  if (!in.ok() || !plain) return fail(Errc::corrupt, "job-file", {}, "identity");
  return {};
}

namespace {
/// What the file says of the place.
struct KnownPlace {
  std::string kind;
  PathBytes path;
  PathBytes root;
  Drive drive;
  bool stale = false;
  bool withRights = false;
};

Result<KnownPlace> knownPlace(const Json& site) {
  if (!site.is_object()) return fail(Errc::corrupt, "job-file", {}, "site");
  JsonReader in(site);
  KnownPlace known;
  known.path = in.path("path");
  known.root = in.pathOr("root", known.path);
  known.stale = in.flagOr("stale", false);
  known.withRights = in.flagOr("everything", false);
  // The first version kept two flags, and of the drive its id alone.
  known.kind = in.textOr("kind");
  if (known.kind.empty())
    known.kind = in.flagOr("imported", false)   ? "imported"
                 : in.flagOr("stand_in", false) ? "stand-in"
                                                : "mounted";
  if (site.contains("drive") && site["drive"].is_object()) {
    auto drive = driveFromJson(site["drive"]);
    if (!drive) return tl::unexpected(drive.error());
    known.drive = std::move(*drive);
  } else {
    known.drive.id = in.textOr("drive");
    known.drive.target = known.root;
    known.drive.standIn = known.kind == "stand-in";
  }
  if (!in.ok()) return fail(Errc::corrupt, "job-file", {}, "site." + in.fault());
  return known;
}
}  // namespace

namespace {

/// Where a path of the drive lies now that is not at its place any more; nothing where it is not attached, or
/// twice (a copy of it beside it, which nobody can tell apart).
std::optional<PathBytes> elsewhereNow(const Workshop& workshop, const KnownPlace& known) {
  if (known.drive.id.empty() || known.kind != "mounted") return std::nullopt;
  const auto drives = listDrives(workshop);
  if (!drives) return std::nullopt;
  const Drive* same = nullptr;
  for (const Drive& drive : *drives) {
    if (drive.id != known.drive.id || !drive.answers) continue;
    if (same != nullptr) return std::nullopt;
    same = &drive;
  }
  const PathBytes& top = known.drive.target;
  if (same == nullptr || (known.path != top && !beneath(known.path, top))) return std::nullopt;
  return known.path == top ? same->target : joinPath(same->target, known.path.substr(top.size() + 1));
}

/// Whether what lies at the path is mounted there, in the drive's place.
bool isInItsPlace(const Site& site, const KnownPlace& known) {
  return site.drive().target == known.drive.target;
}

}  // namespace

Result<void> PlaceBook::load(const std::function<Result<SurveyPtr>(const Site&)>& kept) {
  if (auto identity = loadIdentity(); !identity) return identity;
  const auto text = file_.get("site");
  if (!text) return tl::unexpected(text.error());
  auto known = knownPlace(parseJson(text->value_or("")));
  if (!known) return tl::unexpected(known.error());
  reading_.stale = known->stale;
  withRights_ = known->withRights;
  if (known->kind == "imported") {
    site_ = awaySite(workshop_, known->drive, known->root, known->path, Errc::imported);
    auto survey = kept(*site_);
    if (!survey) return tl::unexpected(survey.error());
    if (!*survey || !(*survey)->imported) return fail(Errc::corrupt, "job-file", {}, "site");
    takeImported(**survey);
    return {};
  }
  auto opened =
      known->kind == "stand-in" ? standInSite(workshop_, known->path) : mountedSite(workshop_, known->path);
  const bool another = opened && (*opened)->drive().id != known->drive.id;
  const Errc why =
      another && (known->kind == "stand-in" || isInItsPlace(**opened, *known)) ? Errc::changed : Errc::away;
  if (!opened || another)
    if (const auto now = elsewhereNow(workshop_, *known)) opened = mountedSite(workshop_, *now);
  if (!opened || (*opened)->drive().id != known->drive.id) {
    site_ = awaySite(workshop_, std::move(known->drive), known->root, known->path, why);
    return {};
  }
  site_ = std::move(*opened);
  if (!known->drive.fsType.empty()) site_->overrule({known->drive.kind, known->drive.size});
  return readAgain();
}

Result<void> PlaceBook::readAgain() {
  const auto root = site_->files()->openRoot(site_->root());
  if (!root) return tl::unexpected(root.error());
  const auto usage = site_->files()->usage(**root);
  if (!usage) return tl::unexpected(usage.error());
  reading_ = {usage->available, usage->capacity, usage->rise, site_->clock().now(), reading_.stale};
  return {};
}

Result<void> PlaceBook::afterChange(bool answers) {
  reading_.stale = true;
  auto read = answers ? readAgain() : Result<void>{};
  if (auto put = file_.put(documents(reading_.stale)); !put) return put;
  return read;
}

void PlaceBook::remember(const Survey& survey) {
  reading_ = {survey.usage.available, survey.usage.capacity, survey.usage.rise, survey.finished,
              reading_.stale};
}

void PlaceBook::adopt(const Survey& survey) {
  remember(survey);
  reading_.stale = false;
}

Result<std::shared_ptr<void>> PlaceBook::lock() const {
  if (!workshop_.visits) return std::shared_ptr<void>();
  auto mine = workshop_.visits->lock(site_->drive().id);
  // A home that cannot be written to keeps nobody from work.
  if (!mine && mine.error().code != Errc::busy) return std::shared_ptr<void>();
  if (!mine) mine.error().path = site_->drive().target;
  return mine;
}

// Without the register everything else works, so what it cannot take is not told.
void PlaceBook::noteVisit(const FindContext& measured) const {
  if (!workshop_.visits || site_->closed()) return;
  const Survey& s = measured.survey;
  const Drive& drive = site_->drive();
  (void)workshop_.visits->noteDrive({drive.id, drive.label, drive.fsType, s.usage.capacity, 0, s.finished});
  Visit visit{drive.id,         identity_,         file_.path(),     site_->opened(), s.finished,
              s.usage.capacity, s.usage.available, s.tree.entries(), s.wholeDrive};
  if (workshop_.visits->noteVisit(visit)) (void)workshop_.visits->noteSums(visit, countedOf(measured));
}

void PlaceBook::noteVisit(VisitKind kind, Bytes promised, SignedBytes rose) const {
  if (!workshop_.visits || site_->closed()) return;
  Visit visit{site_->drive().id,      identity_,         file_.path(), site_->opened(),
              workshop_.clock->now(), reading_.capacity, reading_.free};
  visit.kind = kind;
  visit.promised = promised;
  visit.rose = rose;
  (void)workshop_.visits->noteVisit(visit);
}

/// The largest files, for visits to other drives: a person asks whether a thing is the only one.
void PlaceBook::noteLargeFiles(const Survey& survey) const {
  if (!workshop_.visits || site_->closed()) return;
  constexpr std::size_t most = 20'000;
  const SurveyTree& tree = survey.tree;
  std::vector<NodeId> large;
  for (NodeId id = 1; id < tree.size(); ++id)
    if (tree.kind(id) == EntryKind::file && tree.length(id) >= worthKnowingElsewhere && !tree.isGone(id))
      large.push_back(id);
  if (large.size() > most) {
    std::nth_element(large.begin(), large.begin() + most, large.end(),
                     [&](NodeId a, NodeId b) { return tree.length(a) > tree.length(b); });
    large.resize(most);
  }
  LargeFiles seen{site_->drive().id, site_->drive().label, belowTop(), survey.finished, {}};
  for (const NodeId id : large)
    seen.files.push_back({joinPath(seen.top, tree.path(id)), tree.length(id), tree.modified(id)});
  // A table takes rows quickest in its own order.
  std::sort(seen.files.begin(), seen.files.end(),
            [](const LargeFile& a, const LargeFile& b) { return a.path < b.path; });
  (void)workshop_.visits->noteLargeFiles(seen);
}

void PlaceBook::noteContents(const Survey& survey, const std::vector<std::pair<NodeId, Digest>>& read) const {
  if (!workshop_.visits || site_->closed()) return;
  const SurveyTree& tree = survey.tree;
  std::vector<FileContents> contents;
  for (const auto& [id, digest] : read)
    if (tree.length(id) >= worthKnowingElsewhere)
      contents.push_back({joinPath(belowTop(), tree.path(id)), tree.length(id), tree.modified(id), digest});
  if (!contents.empty()) (void)workshop_.visits->noteContents(site_->drive().id, contents);
}

std::vector<Bytes> PlaceBook::lengthsElsewhere() const {
  if (!workshop_.visits || site_->closed()) return {};
  return workshop_.visits->lengthsElsewhere(site_->drive().id);
}

void PlaceBook::noteMarks(const Marks& marks, const std::vector<PathBytes>& paths) const {
  if (!workshop_.visits || site_->closed()) return;
  Marks onDrive;
  std::vector<PathBytes> cleared;
  for (const PathBytes& path : paths) {
    const auto said = marks.all().find(path);
    const PathBytes there = joinPath(belowTop(), path);
    said == marks.all().end() ? cleared.push_back(there) : onDrive.put(there, said->second);
  }
  (void)workshop_.visits->noteMarks(site_->drive().id, onDrive, cleared);
}

Marks PlaceBook::marksOfEarlierVisits() const {
  Marks here;
  if (!workshop_.visits || site_->closed()) return here;
  const PathBytes top = belowTop();
  const Marks onDrive = workshop_.visits->marks(site_->drive().id);
  for (const auto& [path, said] : onDrive.all())
    if (top.empty() || path == top)
      here.put(top.empty() ? path : PathBytes{}, said);
    else if (beneath(path, top))
      here.put(path.substr(top.size() + 1), said);
  return here;
}

void PlaceBook::noteHolds(const std::vector<JournalRecord>& held) const {
  if (!workshop_.visits) return;
  for (const JournalRecord& r : held)
    (void)workshop_.visits->noteHold(
        site_->drive().id, joinPath(belowTop(), PathBytes(parentPath(parentPath(parentPath(r.holdFolder))))));
}

void PlaceBook::noteLoans(const std::vector<JournalRecord>& open) const {
  if (!workshop_.visits) return;
  std::vector<OpenLoan> loans;
  for (const JournalRecord& r : open)
    loans.push_back({r.action, joinPath(belowTop(), r.path), r.freed.atMost});
  (void)workshop_.visits->noteLoans(site_->drive().id, identity_, loans);
}

/// Where the measured place lies below the top of its drive.
PathBytes PlaceBook::belowTop() const {
  const PathBytes& top = site_->drive().target;
  const PathBytes& root = site_->root();
  if (site_->drive().standIn || root.size() <= top.size()) return {};
  if (top == "/") return root.substr(1);
  return root.starts_with(top + "/") ? root.substr(top.size() + 1) : PathBytes{};
}

}  // namespace zt
