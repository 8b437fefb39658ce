// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>

namespace zt {

/// What went wrong, without words for users; the desktop and the command line turn it into a sentence.
enum class Errc {
  notThere,      ///< no such path
  notPermitted,  ///< the rights do not suffice
  notAFolder,    ///< a folder was needed
  notAFile,      ///< a regular file was needed
  taken,         ///< the name is in use already
  noSpace,       ///< the drive or the quota is full
  tooMuch,       ///< more than the drive has in all
  otherDevice,   ///< a mount or subvolume lies between
  outsideRoot,   ///< the path would leave the drive's root
  changed,       ///< no longer what was measured
  bedrock,       ///< the system needs it
  kept,          ///< somebody said keep
  asleep,        ///< the drive's own system was not shut down for good: nothing may be changed
  unclean,       ///< the drive's own file system was not closed as it should be, or cannot say so
  unmet,         ///< a condition of the thing's place does not hold now
  inUse,         ///< open, mounted or running
  badInput,      ///< text or a document that cannot be understood
  corrupt,       ///< a file of ours that is damaged
  notOurs,       ///< a file of another kind
  someoneElses,  ///< a file of ours that somebody else could have written
  tooNew,        ///< written by a newer version
  conflict,      ///< another line of the plan does something else with it
  noConsent,     ///< an irreversible step without consent
  tooManyOpen,   ///< no file handles are left
  unsupported,   ///< the kernel or file system cannot do it
  cancelled,     ///< somebody asked to stop
  onDrive,       ///< the job file would lie on the measured drive
  busy,          ///< somebody else holds the lock
  imported,      ///< the survey came from an exchange file: it may be explored, nothing else
  away,          ///< the drive is not attached
  unknownStep,   ///< a kind of step that this version does not know
  unanswered,    ///< the system did not answer in time
  placeholder,   ///< the content lies elsewhere, online: opening it would fetch it
  lastCopy,      ///< no equal file would be left
  cannotKeep,    ///< the other drive's file system has no such names, lengths or kinds of entries
  pinned,        ///< something that came since the survey holds its bytes: nothing would come free
  io             ///< any other failure of the system; see the errno
};

/// A failure: the code, what was being done, to which path (bytes as on disk), and the system's errno (0 if
/// none).
struct Error {
  Errc code = Errc::io;
  std::string_view operation;  ///< a literal such as "open"; never freed
  std::string path;            ///< name bytes, not necessarily UTF-8
  int sysErrno = 0;
  std::string detail;  ///< a name or number that a message needs (holder of a file, offending text)
};

template <class T>
using Result = tl::expected<T, Error>;

/// Makes the failing side of a Result.
tl::unexpected<Error> fail(Errc code, std::string_view operation, std::string path = {},
                           std::string detail = {});

/// Makes the failing side of a Result from errno; must be called before anything else can change it.
tl::unexpected<Error> failErrno(std::string_view operation, std::string path, int err);

/// The stable name of a code, as printed in JSON ("no-space").
std::string_view name(Errc code);
constexpr int errorCodes = static_cast<int>(Errc::io) + 1;

}  // namespace zt
