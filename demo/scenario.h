// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/result.h"

namespace zt::demo {

/// Files of one kind in one folder. `{n}` in a name is the file's number with leading zeros.
struct FileSet {
  std::string folder;
  std::string name;
  int count = 1;
  Bytes bytes = 0;      ///< of all together; shared out from large to small
  bool even = false;    ///< all of one size
  double youngest = 1;  ///< age in days
  double oldest = 1;
  int owner = 0;         ///< user number
  std::string content;   ///< files of one content key and number have equal content; empty: each its own
  bool differs = false;  ///< in one byte from others of its content key
  std::string text;      ///< the whole content, instead of bytes
  std::string magic;     ///< hexadecimal bytes at the start
  Bytes occupied = 0;    ///< declared hole: what it occupies on the stand-in; 0: its length
  std::string heldBy;    ///< declared open by this program
  int mode = 0644;
  std::string disk;          ///< "raw" or "qcow2": it is the disk of another machine
  Bytes guest = 0;           ///< as large as the guest thinks it is
  Bytes guestUsed = 0;       ///< what its file system uses
  Bytes idle = 0;            ///< qcow2: room that belongs to nobody
  bool placeholder = false;  ///< stands for an online copy: a length, and nothing behind it
};

/// Something that was thrown away, with the record that its family keeps of it.
struct Thrown {
  std::string form;   ///< "freedesktop", "nt", "mac"
  std::string trash;  ///< the user's trash folder
  std::string name;   ///< nt: what follows "$R"
  std::string origin;
  Bytes bytes = 0;
  double days = 0;  ///< since it was thrown away
  int owner = 0;
};

/// A further name of a file that is there already: all files of `from` linked into `folder`.
struct LinkSet {
  std::string from;
  std::string folder;
};

struct Scenario {
  std::string manifest;  ///< JSON object with the drive's figures, completed by the builder
  std::string expected;  ///< JSON array: the finds that detectors must make, and near misses they must not
  Bytes free = 0;
  std::vector<FileSet> files;
  std::vector<LinkSet> links;
  std::vector<Thrown> thrown;
  bool oddNames = false;  ///< with names, depths and kinds of entries that have to be borne
};

/// Reads a scenario: demo/*.toml.
Result<Scenario> parseScenario(std::string_view toml);

}  // namespace zt::demo
