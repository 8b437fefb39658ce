// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/catalogue/kind_list.h"
#include "core/catalogue/standing.h"

namespace zt {

/// By whose hand something goes.
enum class LetGo : std::uint8_t {
  never,   ///< not at all; kept and unjudged things need a person's judgement first
  here,    ///< by us: the contents, while the folder stays; a `whole` thing goes itself
  owner,   ///< by its owner's own command on its running system
  system,  ///< by the drive's own system; what there is are words for the customer
};
constexpr int letGoKinds = 4;
std::string_view name(LetGo how);
std::optional<LetGo> letGoNamed(std::string_view name);

/// How long what it gave stays free.
enum class Lasts : std::uint8_t { unsaid, lasts, refills, nextStart };
constexpr int lastsKinds = 4;
std::string_view name(Lasts lasts);
std::optional<Lasts> lastsNamed(std::string_view name);

/// Something that has to lie near an entry for a place to speak of it, or must not.
struct Marker {
  enum class Where : std::uint8_t {
    in,      ///< in the entry itself
    beside,  ///< in the folder that it lies in
    top,     ///< at the system's top
    name     ///< the entry's own name
  };
  Where where = Where::in;
  std::vector<std::string> paths;  ///< any of them; parts may hold wildcards
  std::string head;                ///< what the file must begin with; empty: it need only be there
};

/// What is usual for the size of such a place.
struct UsualSize {
  Bytes least = 0;
  Bytes most = 0;
};

/// A known location, and what a careful technician knows of it. The texts are data, in plain English.
struct Place {
  std::string id;
  /// Parts relative to the system's top; a part may hold wildcards. "{user}" is every home, "**" any depth.
  std::vector<std::string> paths;
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of letting it go
  std::string kind;                      ///< of the find that it makes; empty: it makes none
  std::string what;                      ///< what it is
  std::string maker;
  std::string lost;  ///< what is lost with it
  std::string back;  ///< how it comes back
  std::string cost;  ///< and at what cost
  std::string note;
  LetGo go = LetGo::never;
  std::string command;             ///< its owner's, for a running system
  std::string words;               ///< what to do on the drive's own system
  int ageDays = 0;                 ///< untouched for so long, or it is unjudged
  int newestStay = 0;              ///< so many of its siblings, the newest, are left alone
  std::string series;              ///< what makes siblings a series: "name", "device"; empty: all are one
  KindList holds;                  ///< what its maker makes there: by itself a proposal takes nothing else
  std::vector<std::string> needs;  /// "idle", "live", "off", "clean"
  std::vector<Marker> onlyIf;      ///< all must be there
  std::vector<Marker> unless;      ///< none may be
  bool whole = false;              ///< goes as a whole or not at all: nothing in it is judged by itself
  bool anyDrive = false;           ///< speaks for data drives too, not only where a system lies
  bool filesOnly = false;
  bool foldersOnly = false;
  bool deep = false;        ///< a form that is looked for in `closed` places too
  bool closed = false;      ///< forms that loosen are not looked for in it
  bool impersonal = false;  ///< personal kinds of file in it make it unjudged
  bool linked = false;      ///< its files have other names elsewhere: alone it frees little
  std::optional<UsualSize> usual;
  Lasts lasts = Lasts::unsaid;
  bool own = false;   ///< from a user's file: it never loosens bedrock
  unsigned line = 0;  ///< of the file it was read from

  /// Whether what lies there is judged entry by entry, by what the maker makes.
  bool byKinds() const {
    return go == LetGo::here && (standing == Standing::rebuilds || standing == Standing::spent);
  }
  /// Whether it is a system that an upgrade or a person set aside; what persons left in it is theirs.
  bool isEarlierSystem() const { return whole && impersonal && regret == Regret::wayBack; }
  bool isForm() const { return !paths.empty() && paths.front().starts_with("**"); }
};

}  // namespace zt
