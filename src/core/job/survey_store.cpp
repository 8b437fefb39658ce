// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/survey_store.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <cstdlib>
#include <future>
#include <map>
#include <set>

#include "core/catalogue/systems_seen.h"
#include "core/finds/subject_type.h"
#include "core/job/register.h"
#include "core/job/shop.h"
#include "core/match/duplicates.h"
#include "core/plan/plan.h"
#include "core/plan/plan_json.h"
#include "core/query/narrowing.h"
#include "core/survey/files/survey_codec.h"

namespace zt {

namespace {
/// Where the survey's root lies below the drive's top.
PathBytes inDrive(const Drive& drive, const PathBytes& root) {
  const PathBytes top = drive.target == "/" ? PathBytes{} : drive.target;
  return beneath(root, top) ? root.substr(top.size() + 1) : PathBytes{};
}

/// Reads the beginnings of files for the places that ask for them. Lets go of the drive as soon as it goes,
/// however long the context lives that it was given to: nobody could detach the drive otherwise.
class Heads {
public:
  Heads(const Site& site, const Survey& survey) {
    if (site.closed()) return;
    open_->files = site.files();
    open_->root = site.files()->openToRead(site.root()).value_or(nullptr);
    open_->survey = &survey;
  }
  ~Heads() { *open_ = {}; }
  Heads(const Heads&) = delete;
  Heads& operator=(const Heads&) = delete;

  std::function<std::optional<std::string>(NodeId, std::size_t)> reader() const {
    return [open = open_](NodeId node, std::size_t most) -> std::optional<std::string> {
      if (!open->root) return std::nullopt;
      const auto in = open->files->openBeneath(*open->root, parentPath(open->survey->tree.path(node)));
      if (!in) return std::nullopt;
      auto head = open->files->readHead(**in, open->survey->tree.name(node), most);
      return head ? std::optional(std::move(head->bytes)) : std::nullopt;
    };
  }

private:
  struct Open {
    FileSystemPtr files;
    FolderPtr root;
    const Survey* survey = nullptr;
  };
  std::shared_ptr<Open> open_ = std::make_shared<Open>();
};

/// A home of passwd(5) that lies where homes usually do not; empty for the others, for services, and for what
/// is no plain path.
PathBytes unusualHome(std::string_view line) {
  std::vector<std::string_view> fields;
  while (fields.size() < 7) {
    const auto colon = std::min(line.find(':'), line.size());
    fields.push_back(line.substr(0, colon));
    if (colon == line.size()) break;
    line.remove_prefix(colon + 1);
  }
  if (fields.size() < 6 || fields[2].size() > 5) return {};
  const bool number =
      !fields[2].empty() && fields[2].find_first_not_of("0123456789") == std::string_view::npos;
  const int user = number ? std::atoi(std::string(fields[2]).c_str()) : 0;
  if (user < 1000 || user >= 65'000) return {};
  const std::string_view home = fields[5];
  if (!home.starts_with('/') || home.starts_with("/home/") || !plainRelative(home.substr(1))) return {};
  return PathBytes(home.substr(1));
}

/// Homes that the drive's own user list puts elsewhere, as far as they are folders that nothing of the system
/// speaks for.
std::vector<HomeRoot> homesElsewhere(const Site& site, const Survey& survey,
                                     const std::vector<SystemRoot>& systems) {
  std::vector<HomeRoot> homes;
  if (site.closed()) return homes;
  const auto root = site.files()->openToRead(site.root());
  for (const SystemRoot& system : systems) {
    if (!root || system.family != SystemFamily::linuxFamily || !system.certain || system.previous ||
        !system.prefix.empty())
      continue;
    const auto etc = site.files()->openBeneath(**root, joinPath(system.at, "etc"));
    auto list = etc ? site.files()->readFile(**etc, "passwd", 1 << 20)
                    : Result<std::string>(tl::unexpected(etc.error()));
    if (!list) continue;
    const PlaceMap usual({system}, {});
    std::string_view rest = *list;
    while (!rest.empty() && homes.size() < 1000) {
      const std::string_view line = rest.substr(0, rest.find('\n'));
      rest.remove_prefix(std::min(rest.size(), line.size() + 1));
      const PathBytes home = unusualHome(line);
      if (home.empty()) continue;
      const PathBytes at = joinPath(system.at, home);
      const auto node = survey.tree.find(at);
      if (node && survey.tree.isFolder(*node) && usual.standing(at) >= Standing::unjudged)
        homes.push_back({at, SystemFamily::linuxFamily});
    }
  }
  return homes;
}

/// The device numbers of the subvolumes beneath the measured root: every mount of one has the same.
std::map<std::uint64_t, NodeId> subvolumesIn(const Site& site, const Folder& root, const Survey& survey) {
  std::map<std::uint64_t, NodeId> tops;
  if (survey.fsType != "btrfs") return tops;
  const SurveyTree& tree = survey.tree;
  for (NodeId id = 1; id < tree.size(); ++id) {
    if (!tree.isFolder(id) || tree.inode(id) != subvolumeTopInode || tree.isGone(id)) continue;
    const auto folder = site.files()->openBeneath(root, tree.path(id));
    if (!folder) continue;
    if (const auto now = site.files()->stat(**folder, {})) tops.emplace(now->device, id);
  }
  return tops;
}

/// Notes who holds what on the measured drive now, and what runs.
void takeHolders(const Site& site, const Survey& survey, FindOptions& options) {
  if (site.closed()) return;
  const auto root = site.files()->openRoot(site.root());
  const auto stat = root ? site.files()->stat(**root, {}) : Result<EntryStat>(tl::unexpected(root.error()));
  const auto listing = site.openFiles()->list();
  if (!stat || !listing) return;
  std::map<std::uint64_t, NodeId> devices = subvolumesIn(site, **root, survey);
  devices[stat->device] = 0;
  std::set<std::string> programs;
  for (const OpenFile& file : listing->files) {
    const auto at = devices.find(file.device);
    // The root is held by its own mount, and never goes.
    if (at != devices.end() && !(at->second == 0 && file.inode == stat->inode))
      options.openInodes.emplace(std::pair(at->second, file.inode), file.holder);
    if (file.pid != 0) programs.insert(file.holder);
  }
  options.programs.assign(programs.begin(), programs.end());
}
}  // namespace

ContextPtr SurveyStore::contextOf(const Site& site, SurveyPtr survey) const {
  if (!kinds_) kinds_ = std::make_shared<const KindTable>(KindTable::ofThisMachine().value_or(KindTable()));
  FindOptions options;
  options.now = survey->finished;
  options.kinds = *kinds_;
  options.owners = site.ownerNames(*survey);
  takeHolders(site, *survey, options);
  if (site.takesRights()) options.self = workshop_.privileged->self();
  options.live = site.drive().liveSystem;
  if (options.live && workshop_.machine) options.machine = workshop_.machine->facts();
  options.keepsAccessTimes = site.keepsAccessTimes();
  if (workshop_.visits)
    options.elsewhere = [visits = workshop_.visits, id = site.drive().id,
                         top = inDrive(site.drive(), survey->root)](const FileAsked& asked) {
      return visits->elsewhere(id, {joinPath(top, asked.path), asked.length, asked.modified});
    };
  const Heads heads(site, *survey);
  options.head = heads.reader();
  std::vector<SystemRoot> systems = systemsSeen(site.drive(), *survey);
  std::vector<HomeRoot> homes = homesElsewhere(site, *survey, systems);
  PlaceMap places(std::move(systems), inDrive(site.drive(), survey->root), std::move(homes),
                  workshop_.places);
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
    auto root = site.files()->openToRead(site.root());
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
  for (const auto& kind : workshop_.craft->contents.all())
    if (const auto seen = now_.contents.of(kind->id()))
      content.contents.set(kind->id(), kind->carriedOver(*seen, now_.survey->tree, survey->tree));
  content.ofContents = findsOfContents(content, {});
  prepared.pieces = pieces.get();
  return prepared;
}

Result<void> SurveyStore::keep(Prepared prepared, const JobFile::Documents& documents) {
  const TimeNs taken = prepared.content.survey->finished;
  if (auto put = file_.putSurvey(prepared.pieces, prepared.rows, taken, documents); !put) return put;
  detected_ = now_ = std::move(prepared.content);
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
  const KnownKinds known = knownKinds(*workshop_.craft);
  std::vector<Find> finds;
  for (const auto& row : *rows) {
    auto find = findFromJson(parseJson(row), known);
    if (!find) return tl::unexpected(find.error());
    for (auto& item : find->items) {
      if (!typeOf(item).find((*survey)->tree, item)) return fail(Errc::corrupt, "finds", item.path);
    }
    finds.push_back(std::move(*find));
  }
  // The same drive may be mounted elsewhere by now. Nobody else has what was just read.
  if (!site.closed() && (*survey)->root != site.root()) {
    const auto here = std::const_pointer_cast<Survey>(*survey);
    here->root = site.root();
    here->mountTarget = site.drive().target;
  }
  now_.survey = *survey;
  now_.context = contextOf(site, std::move(*survey));
  now_.finds = std::make_shared<const FindList>(std::move(finds));
  detected_ = now_;
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
    if (now_.context->locked(path)) return fail(Errc::bedrock, "plan", path);
    const auto [at, isNew] = alone.emplace(*node, std::string());
    if (isNew) fresh.push_back(*node), at->second = pickedFind(*now_.context, *node).id;
    ids.push_back(at->second);
  }
  if (!fresh.empty()) addPicked(fresh);
  return ids;
}

void SurveyStore::addPicked(const std::vector<NodeId>& nodes) {
  FindList shown = *now_.finds;
  FindList all = *detected_.finds;
  for (const NodeId node : nodes) {
    Find find = pickedFind(*now_.context, node);
    priceOffers(find, workshop_.craft->steps);
    all.add(find);
    shown.add(std::move(find));
  }
  now_.finds = std::make_shared<const FindList>(std::move(shown));
  detected_.finds = std::make_shared<const FindList>(std::move(all));
}

KeeperOrder SurveyStore::keeperOrder() const {
  return shopKeepers(workshop_);
}

std::vector<ContentFinds::Ptr> SurveyStore::findsOfContents(const Content& content,
                                                            const Marks& marks) const {
  std::vector<ContentFinds::Ptr> all;
  if (!content.contents.any()) return all;
  const KeeperOrder order = keeperOrder();
  const ContentView view{*content.context, content.contents, order, [this](Find find) {
                           priceOffers(find, workshop_.craft->steps);
                           return std::make_shared<const Find>(std::move(find));
                         }};
  const auto& kinds = workshop_.craft->contents.all();
  for (std::size_t i = 0; i < kinds.size(); ++i)
    all.push_back(
        kinds[i]->finds(view, marks, i < content.ofContents.size() ? content.ofContents[i] : nullptr));
  return all;
}

void SurveyStore::setContents(Contents contents) {
  detected_.contents = std::move(contents);
  detected_.ofContents.clear();
  detected_.ofContents = findsOfContents(detected_, {});
  now_.contents = detected_.contents;
  now_.ofContents = detected_.ofContents;
}

FindList SurveyStore::marked(const Content& content, const Marks& marks) const {
  FindList all = *content.finds;
  for (const ContentFinds::Ptr& kind : findsOfContents(content, marks))
    for (const auto& find : kind->all)
      if (find) all.add(find);
  return all.marked(marks, [&](const Find& find) {
    auto rest = without(find, *content.context, [&](const Subject& s) { return marks.locks(s.path); });
    if (rest) priceOffers(*rest, workshop_.craft->steps);
    return rest;
  });
}

void SurveyStore::applyMarks(const Marks& marks) {
  if (detected_.finds) now_.finds = std::make_shared<const FindList>(marked(detected_, marks));
}

}  // namespace zt
