// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <ctime>

#include "core/detect/children.h"
#include "core/detect/detectors.h"
#include "core/detect/recycle_record.h"
#include "core/detect/trash_info.h"

namespace zt {

namespace {

/// What lies in a trash longer than this is spent; what is younger is a way back.
constexpr int trashDays = 30;

std::string dateOf(TimeNs time) {
  const auto seconds = static_cast<std::time_t>(time / nsPerSecond);
  std::tm t{};
  ::gmtime_r(&seconds, &t);
  std::array<char, 32> text{};
  std::strftime(text.data(), text.size(), "%Y-%m-%dT%H:%M:%S", &t);
  return text.data();
}

/// One thing that was thrown away, with the record of it.
struct Thrown {
  Subject thing;
  NodeId record = noNode;
  TimeNs deleted = 0;  ///< 0 where nobody says
  bool read = true;
};

/// The trashes of all three families, two finds each: what was thrown away long ago, and what not. A thing
/// and its record go together. What records say is read where that leaves no trace.
class Trash final : public Detector {
public:
  std::string_view id() const override { return "trash"; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    for (const TrashFolder& trash : c.trashes) {
      if (stop.stop_requested()) return {};
      std::vector<Thrown> things = thingsIn(input, trash);
      const TimeNs line = c.options.now - (trashDays + 1) * nsPerDay;
      const auto young = std::stable_partition(
          things.begin(), things.end(), [&](const Thrown& t) { return t.deleted != 0 && t.deleted < line; });
      for (const bool old : {true, false}) {
        const std::span<Thrown> part =
            old ? std::span(things.begin(), young) : std::span(young, things.end());
        if (!part.empty() && !sink(findOf(c, trash, part, old))) return {};
      }
    }
    return {};
  }

private:
  static std::vector<Thrown> thingsIn(const DetectInput& input, const TrashFolder& trash) {
    switch (trash.form) {
      case TrashForm::freedesktop:
        return freedesktop(input, trash.node);
      case TrashForm::nt:
        return nt(input, trash.node);
      case TrashForm::mac:
        break;
    }
    return mac(input, trash.node);
  }

  static FolderPtr open(const DetectInput& input, NodeId folder) {
    if (!input.files || !input.root) return nullptr;
    return input.files->openBeneath(*input.root, input.context->tree.path(folder)).value_or(nullptr);
  }

  /// freedesktop.org Trash specification 1.0: `files/X` and `info/X.trashinfo`.
  static std::vector<Thrown> freedesktop(const DetectInput& input, NodeId trash) {
    const FindContext& c = *input.context;
    std::vector<Thrown> all;
    const auto content = c.tree.child(trash, "files");
    const auto infos = c.tree.child(trash, "info");
    if (!content || !infos) return all;
    const FolderPtr at = open(input, *infos);
    const ChildIndex infoByName(c.tree, *infos);
    eachIn(c.tree, *content, [&](NodeId id) {
      Thrown t{c.subject(id), infoByName.find(std::string(c.tree.name(id)) + ".trashinfo"), 0, true};
      if (t.record != noNode) {
        const auto text = at ? input.files->readFile(*at, c.tree.name(t.record), std::size_t{64} * 1024)
                             : Result<std::string>(fail(Errc::notPermitted, "read"));
        const auto info = text ? parseTrashInfo(*text) : std::nullopt;
        t.read = info.has_value();
        if (info) {
          t.thing.origin = info->path;
          t.thing.deleted = info->deleted;
          t.deleted = timeOfDate(info->deleted);
        }
      }
      all.push_back(std::move(t));
    });
    return all;
  }

  /// `$R…` is the thing, `$I…` with the same letters its record.
  static std::vector<Thrown> nt(const DetectInput& input, NodeId trash) {
    const FindContext& c = *input.context;
    std::vector<Thrown> all;
    const FolderPtr at = open(input, trash);
    const ChildIndex byName(c.tree, trash);
    eachIn(c.tree, trash, [&](NodeId id) {
      const std::string name(c.tree.name(id));
      if (name.size() < 3 || name[0] != '$' || (name[1] != 'R' && name[1] != 'r')) return;
      const NodeId record = byName.find(std::string("$") + (name[1] == 'R' ? "I" : "i") + name.substr(2));
      Thrown t{c.subject(id), record, 0, true};
      if (record != noNode) {
        const auto text = at ? input.files->readFile(*at, c.tree.name(record), std::size_t{128} * 1024)
                             : Result<std::string>(fail(Errc::notPermitted, "read"));
        const auto said = text ? parseRecycleRecord(*text) : std::nullopt;
        t.read = said.has_value();
        if (said) {
          t.thing.origin = said->path;  // with our own sign between its parts
          std::replace(t.thing.origin.begin(), t.thing.origin.end(), '\\', '/');
          t.deleted = said->deleted;
          if (said->deleted != 0) t.thing.deleted = dateOf(said->deleted);
        }
      }
      all.push_back(std::move(t));
    });
    return all;
  }

  /// Where things came from is not recorded in a form that can be read; throwing away sets the change time.
  static std::vector<Thrown> mac(const DetectInput& input, NodeId trash) {
    const FindContext& c = *input.context;
    std::vector<Thrown> all;
    const FolderPtr at = open(input, trash);
    eachIn(c.tree, trash, [&](NodeId id) {
      if (c.tree.name(id) == ".DS_Store") return;
      Thrown t{c.subject(id), noNode, 0, true};
      if (at)
        if (const auto stat = input.files->stat(*at, c.tree.name(id))) t.deleted = stat->changed;
      all.push_back(std::move(t));
    });
    return all;
  }

  Find findOf(const FindContext& c, const TrashFolder& trash, std::span<Thrown> things, bool old) const {
    Find find;
    find.kind = this->id();
    find.likelihood = old ? 95 : 60;
    find.place = c.tree.path(trash.node);
    find.offers = {{"empty", {}, {}, {}}, {"hold", {}, {}, {}}};
    std::uint64_t notRead = 0;
    std::uint64_t noDate = 0;
    for (Thrown& t : things) {
      notRead += t.read ? 0 : 1;
      noDate += t.deleted == 0 ? 1 : 0;
      find.items.push_back(std::move(t.thing));
      if (t.record == noNode) continue;
      PathBytes thing = find.items.back().path;
      find.items.push_back(c.subject(t.record));
      find.items.back().recordOf = std::move(thing);
    }
    if (notRead > 0) find.facts.push_back({"infos-not-read", notRead});
    if (noDate > 0) find.facts.push_back({"no-date", noDate});
    find.facts.push_back({"thrown-away", std::string(old ? "long-ago" : "lately")});
    std::stable_sort(find.items.begin(), find.items.end(),
                     [](const Subject& a, const Subject& b) { return a.occupied > b.occupied; });
    c.complete(find);
    const Standing standing = old ? Standing::spent : Standing::ownersCall;
    // What somebody threw away is judged by that, and not by what it once was.
    find.standing = find.judged = find.judged == Standing::bedrock ? Standing::bedrock : standing;
    find.regret = old ? Regret::none : Regret::wayBack;
    find.owner = c.tree.owner(trash.node);
    find.band = ageBand(find.newest, c.options.now);
    find.id = FindContext::findId(this->id(), find.place + (old ? "/+" : "/-"), AgeBand::today);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> trashDetector() {
  return std::make_shared<Trash>();
}

}  // namespace zt
