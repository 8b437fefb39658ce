// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/result.h"

#include <cerrno>

namespace zt {

namespace {
Errc codeOf(int err) {
  switch (err) {
    case ENOENT:
      return Errc::notThere;
    case EACCES:
    case EPERM:
    case EROFS:
      return Errc::notPermitted;
    case ENOTDIR:
      return Errc::notAFolder;
    case EISDIR:
      return Errc::notAFile;
    case EEXIST:
    case ENOTEMPTY:
      return Errc::taken;
    case ENOSPC:
    case EDQUOT:
      return Errc::noSpace;
    case EXDEV:
      return Errc::otherDevice;
    case ELOOP:
      return Errc::outsideRoot;
    case EBUSY:
    case ETXTBSY:
      return Errc::inUse;
    case EMFILE:
    case ENFILE:
      return Errc::tooManyOpen;
    case ENOSYS:
    case EOPNOTSUPP:
    case EINVAL:
      return Errc::unsupported;
    default:
      return Errc::io;
  }
}
}  // namespace

tl::unexpected<Error> fail(Errc code, std::string_view operation, std::string path, std::string detail) {
  return tl::unexpected<Error>(Error{code, operation, std::move(path), 0, std::move(detail)});
}

tl::unexpected<Error> failErrno(std::string_view operation, std::string path, int err) {
  return tl::unexpected<Error>(Error{codeOf(err), operation, std::move(path), err, {}});
}

std::string_view name(Errc code) {
  switch (code) {
    case Errc::notThere:
      return "not-there";
    case Errc::notPermitted:
      return "not-permitted";
    case Errc::notAFolder:
      return "not-a-folder";
    case Errc::notAFile:
      return "not-a-file";
    case Errc::taken:
      return "taken";
    case Errc::tooMuch:
      return "too-much";
    case Errc::noSpace:
      return "no-space";
    case Errc::otherDevice:
      return "other-device";
    case Errc::outsideRoot:
      return "outside-root";
    case Errc::changed:
      return "changed";
    case Errc::bedrock:
      return "bedrock";
    case Errc::kept:
      return "kept";
    case Errc::asleep:
      return "asleep";
    case Errc::unclean:
      return "unclean";
    case Errc::unmet:
      return "unmet";
    case Errc::inUse:
      return "in-use";
    case Errc::badInput:
      return "bad-input";
    case Errc::corrupt:
      return "corrupt";
    case Errc::someoneElses:
      return "someone-elses";
    case Errc::notOurs:
      return "not-ours";
    case Errc::tooNew:
      return "too-new";
    case Errc::conflict:
      return "conflict";
    case Errc::noConsent:
      return "no-consent";
    case Errc::tooManyOpen:
      return "too-many-open";
    case Errc::unsupported:
      return "unsupported";
    case Errc::cancelled:
      return "cancelled";
    case Errc::onDrive:
      return "job-on-drive";
    case Errc::busy:
      return "busy";
    case Errc::imported:
      return "imported";
    case Errc::away:
      return "away";
    case Errc::unknownStep:
      return "unknown-step";
    case Errc::unanswered:
      return "unanswered";
    case Errc::placeholder:
      return "placeholder";
    case Errc::lastCopy:
      return "last-copy";
    case Errc::cannotKeep:
      return "cannot-keep";
    case Errc::pinned:
      return "pinned";
    case Errc::io:
      return "io";
  }
  return "io";
}

}  // namespace zt
