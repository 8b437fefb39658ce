// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <future>

#include "core/catalogue/judge.h"
#include "core/finds/elsewhere.h"
#include "core/finds/file_kinds.h"
#include "core/finds/find.h"
#include "core/os/machine.h"
#include "core/os/owner_names.h"
#include "core/points/points.h"
#include "core/survey/survey.h"
#include "core/survey/tree/gain_model.h"
#include "core/survey/tree/link_names.h"

namespace zt {

/// By which measures finds are made.
struct FindOptions {
  TimeNs now = 0;
  TimeNs ageLine = 365 * nsPerDay;  ///< older than this is old and dormant
  Bytes largeBytes = 0;             ///< 0: by capacity, see `largeThreshold`
  std::size_t mostLarge = 2000;
  std::size_t mostItems = 5000;  ///< of one find
  KindTable kinds;
  OwnerNames owners;
  /// What somebody holds open on the drive that is measured, and who does: by the top of the subvolume that
  /// it lies in (0, the root, where there are none), since each numbers its inodes for itself, and the inode.
  absl::flat_hash_map<std::pair<NodeId, std::uint64_t>, std::string> openInodes;
  std::vector<std::string> programs;  ///< that run on this machine, as far as that can be seen
  /// Who works here, where rights over others' things can be asked for; 0: nobody need be asked, or can be.
  std::uint32_t self = 0;
  bool live = false;             ///< the system on the drive is the one that runs
  MachineFacts machine;          ///< of the machine that it runs on; empty where it does not
  bool keepsAccessTimes = true;  ///< the mount keeps them well enough to be quoted
  Elsewhere elsewhere;           ///< empty where nothing is known of other drives
  /// The first bytes of a file; empty where the drive is not at hand. Asked while the context is built only.
  std::function<std::optional<std::string>(NodeId file, std::size_t most)> head;
};

/// A file counts as large from a 2,500th of the capacity on, at least 1 MB and at most 100 MB.
Bytes largeThreshold(Bytes capacity);

/// How a trash is laid out.
enum class TrashForm : std::uint8_t {
  freedesktop,  ///< freedesktop.org Trash specification 1.0: `files` and `info`
  nt,           ///< one user's folder in `$Recycle.Bin`
  mac           ///< `.Trash` of a home, or one user's folder in `.Trashes`
};
struct TrashFolder {
  NodeId node = noNode;
  TrashForm form = TrashForm::freedesktop;
};

/// A survey with everything that detectors, lists and plans share. Built once a survey; immutable; any
/// thread.
class FindContext {
public:
  /// Takes three passes over the survey, side by side.
  FindContext(SurveyPtr survey, PlaceMap places, FindOptions options);

  const SurveyPtr kept;
  const Survey& survey;
  const SurveyTree& tree;
  const PlaceMap places;
  const FindOptions options;

  std::vector<FileKind> kind;      ///< by node, by its name; folders are `other`
  std::vector<Standing> standing;  ///< by node
  std::vector<Regret> regret;      ///< of letting it go, by node
  std::vector<TrashFolder> trashes;
  /// By node: it, or something beneath it, cannot be removed, was not seen, or is a snapshot; empty if
  /// nothing is.
  std::vector<bool> fixed;
  /// By node: it belongs to somebody else, or something beneath it does; empty where no rights are asked for.
  std::vector<bool> foreign;
  std::vector<bool> inTrash;                              ///< by node
  const absl::flat_hash_map<NodeId, std::string> heldBy;  ///< who had an entry open then
  const absl::flat_hash_set<NodeId> held;  ///< files that somebody held open when the survey was made
  /// Folders that somebody works in, that are mounted elsewhere or upon, or that an overlay is made of.
  absl::flat_hash_map<NodeId, std::string> busy;
  std::vector<bool> part;  ///< by node: goes only with the whole that it lies in

private:
  std::future<void> kindsFound_;  ///< begins before the sightings are made

public:
  const Sightings sightings;  ///< which place speaks of which entry
  const GainModel gain;
  const LinkNames names;
  const PointModel points;

  TimeNs line() const { return options.now - options.ageLine; }
  Bytes large() const;
  /// The place that speaks of an entry; nullptr where none does.
  const Place* placeOf(NodeId node) const { return sightings.all[sightings.of[node]].place; }
  /// Whether an entry belongs to the finds of a place with a kind of its own, or to a trash: other detectors
  /// leave it to those, so that nothing is counted twice.
  bool spokenFor(NodeId node) const;
  /// Whether a part of it at least could not be removed by who measured: immutable, or without the right.
  bool cannotGo(NodeId node) const;
  /// Whether it can be taken only with rights that have to be asked for.
  bool needsRights(NodeId node) const;
  /// Whether a path must not go: see PlaceMap::locked, and by what the survey itself shows.
  bool locked(std::string_view path) const;
  Subject subject(NodeId node) const;
  Subject pointSubject(std::uint32_t point) const;
  /// Who had an entry or anything in it in use when the survey was made; nullptr if nobody did.
  const std::string* holderIn(NodeId node) const;
  /// The point of the file system that a subject is about, if it is one and still there.
  std::optional<std::uint32_t> pointOf(const Subject& subject) const;
  /// The state of a series that a subject is: such a point, or a folder of a linked series.
  std::optional<std::uint32_t> stateOf(const Subject& subject) const;
  /// What comes free if all of these go: entries and points, together.
  GainBounds gainOf(std::span<const Subject> items) const;
  /// Points that keep bytes of entries from coming free.
  struct Pinned {
    GainModel::Keepers by;
    GainModel::Points mayGo;  ///< those of them that may go, by their places; empty: none
    Bytes with = 0;           ///< comes free if the entries and those go together
    bool helps = false;       ///< some of what they pin does
  };
  Pinned pinned(std::span<const Subject> items) const;
  /// Files at or beneath entries that somebody holds open, in order: they come free when those end.
  std::vector<NodeId> openIn(std::span<const Subject> items) const;
  /// Who holds a file of `held` open.
  const std::string& holderOf(NodeId file) const { return heldBy.at(file); }
  /// The strictest standing of an entry and of everything beneath it; the worst regret likewise.
  Judgement strictest(NodeId node) const;
  /// Sums and times of a find, from its items.
  void weigh(Find& find) const;
  /// Fills in id, place, standing, regret, gain, links elsewhere and times from the items.
  void complete(Find& find) const;
  /// The find's own id: of its kind, and of what it is about.
  static std::string findId(std::string_view kind, std::string_view about, AgeBand band);

private:
  void takeJudgements();
  NodeId subvolumeTop(NodeId node) const;
  absl::flat_hash_map<NodeId, std::string> openEntries() const;
  absl::flat_hash_set<NodeId> heldOpen() const;
  void findKinds();
  void findBusy();
  void findTrashes();
  void findFixed();
  void findForeign();
  std::optional<TrashForm> trashAt(NodeId folder) const;
  std::vector<Judgement> beneath_;  ///< by folder number: the strictest and the worst in it
};
using ContextPtr = std::shared_ptr<const FindContext>;

/// A find made of an entry that someone picked by hand.
Find pickedFind(const FindContext& context, NodeId node);

}  // namespace zt
