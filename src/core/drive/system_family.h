// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/os/file_system.h"

namespace zt {

/// Which kind of system a drive carries.
enum class SystemFamily : std::uint8_t { none, linuxFamily, nt, mac };
constexpr int systemFamilies = 4;
std::string_view name(SystemFamily family);
/// Whether names of this family are the same in any case.
bool foldsCase(SystemFamily family);

/// A place on a drive that a system, or a part of one, lies at.
struct SystemRoot {
  PathBytes at;      ///< from where was looked; empty: there itself
  PathBytes prefix;  ///< which part of the system lies there: empty its top, "home" its homes
  SystemFamily family = SystemFamily::none;
  bool certain = true;    ///< two signs at least; with one alone nothing of it may be proposed
  bool previous = false;  ///< kept by an upgrade beside the system in use: goes as a whole or not at all
  bool operator==(const SystemRoot&) const = default;
};

/// What can be asked of names on a drive, or in a survey of it. Links are not followed.
class NameView {
public:
  virtual ~NameView() = default;
  /// Whether something lies at a path; with `fold` in any case of its letters.
  virtual bool has(std::string_view path, bool fold) const = 0;
  /// Names of the folders in a folder; none where listing it would leave a trace.
  virtual std::vector<PathBytes> foldersIn(std::string_view path) const = 0;
};

/// Recognises systems by their marker files: at the top, in the layouts that put it lower (Btrfs `@`,
/// deployments), and beside it. Where the signs do not suffice the drive is treated as carrying one: the root
/// then is not `certain`. Empty if nothing speaks for a system.
std::vector<SystemRoot> systemsIn(const NameView& names);

/// Which part of a system a folder stands for that a Btrfs layout puts beside the system's top ("@home":
/// "home"); of the top itself ("@") nothing. With what lies further down: "@/etc" is "etc".
std::optional<PathBytes> companionOf(std::string_view folder);

/// A drive's own files as names. Opens folders and asks for stats, which sets no access time; lists a folder
/// only where that sets none either.
std::unique_ptr<NameView> namesOn(FileSystemReader& files, FolderPtr root);

/// What a Linux system calls itself ("Debian GNU/Linux 12"), from its os-release; empty where that cannot be
/// read without a trace. `at` is where the system lies.
std::string systemNameOn(FileSystemReader& files, const Folder& root, const SystemRoot& at);

}  // namespace zt
