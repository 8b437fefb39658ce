// SPDX-License-Identifier: GPL-3.0-or-later
// What went wrong, and what to do about it.
#include <cstring>

#include "words/words.h"

namespace zt {

namespace {

constexpr const char* asleepText =
    "the drive's own system was not shut down for good, so nothing on it is changed; start it, shut "
    "it down "
    "completely (on an nt system: hold Shift while choosing Shut down), and bring the drive back";
constexpr const char* uncleanText =
    "the drive was not closed properly by its own system, or nobody here may ask whether it was, so "
    "nothing on it is changed; let its own system check and shut it down, or start this with rights";

const char* problemText(Errc code) {
  switch (code) {
    case Errc::notThere:
      return "it is not there";
    case Errc::notPermitted:
      return "the rights do not suffice; start with more rights, or leave it";
    case Errc::notAFolder:
      return "it is not a folder";
    case Errc::notAFile:
      return "it is not a file";
    case Errc::taken:
      return "something of that name stands there already";
    case Errc::tooMuch:
      return "that is more than the drive has in all";
    case Errc::noSpace:
      return "there is no space left";
    case Errc::otherDevice:
      return "another drive or subvolume lies there";
    case Errc::outsideRoot:
      return "the path would leave the drive";
    case Errc::changed:
      return "it is not what was measured any more; measure again";
    case Errc::bedrock:
      return "the system needs it; it is locked";
    case Errc::kept:
      return "someone said keep; take that mark away first";
    case Errc::asleep:
      return asleepText;
    case Errc::unclean:
      return uncleanText;
    case Errc::unmet:
      return "what it needs is not so now";
    case Errc::inUse:
      return "it is in use";
    case Errc::badInput:
      return "it cannot be understood";
    case Errc::corrupt:
      return "the file is damaged; open an older copy or measure anew";
    case Errc::someoneElses:
      return "it belongs to somebody else, or anybody may change it";
    case Errc::notOurs:
      return "it is not a file of Zip Tally";
    case Errc::tooNew:
      return "a newer version of Zip Tally wrote it";
    case Errc::conflict:
      return "another line of the plan does something else with it; drop that line first";
    case Errc::noConsent:
      return "it needs consent first";
    case Errc::tooManyOpen:
      return "too many files are open; close other programs and try again";
    case Errc::unsupported:
      return "the file system cannot do that";
    case Errc::cancelled:
      return "it was stopped";
    case Errc::onDrive:
      return "the job file would lie on the drive that is measured";
    case Errc::busy:
      return "another window or program has it open";
    case Errc::imported:
      return "the survey was imported; it can be explored, not reclaimed by";
    case Errc::away:
      return "its drive is not attached; the job can be read, not worked on";
    case Errc::unknownStep:
      return "this version does not know such a step, or it is not offered here";
    case Errc::unanswered:
      return "the system did not answer in time";
    case Errc::placeholder:
      return "nothing of it is stored on this drive; opening it could fetch it from elsewhere";
    case Errc::lastCopy:
      return "it is the last of several that would be left";
    case Errc::cannotKeep:
      return "the other drive cannot keep it";
    case Errc::pinned:
      return "something that came since holds its bytes: nothing would come free; measure again";
    case Errc::io:
      return "the system reports a failure; check the drive and its cable";
  }
  return "the system reports a failure";
}

/// What is in the way of a step, of things that are as they are; nullptr for anything else.
const char* inTheWay(const std::string& what) {
  if (what == "another-owner") return "the copy belongs to somebody else than the file that stays";
  if (what == "other-rights") return "the copy may be read or changed by others than the file that stays";
  if (what == "other-attributes") return "the copy has other attributes than the file that stays";
  if (what == "swap-btrfs")
    return "a swap file on this file system needs its own program; leave it, or let its owner do it";
  if (what == "swap-memory") return "memory has no room for what lies in it; close programs first";
  if (what == "swap-resume")
    return "a sleeping session is resumed from a place within it; made anew it would lie elsewhere";
  if (what == "not-live") return "only the system that runs here can do it";
  if (what == "others-come") return "other packages would be installed instead";
  if (what == "keeper-locked")
    return "the file that stays is locked or kept; it gets no second name (storing both once would do)";
  if (what == "image-format") return "an image of this kind is not rewritten here; its own program does it";
  if (what == "image-encrypted") return "the image is encrypted: nobody can see what of it is empty";
  if (what == "image-unclean")
    return "the image, or a file system in it, was not closed; start its guest and shut it down properly";
  if (what == "image-backing") return "the image lies upon another one, and makes sense only with it";
  if (what == "image-states") return "the image keeps states inside it; they would be lost";
  if (what == "image-packed") return "the image is compressed; rewritten it would be larger";
  if (what == "image-names") return "the image has several names; all of them would have to follow";
  if (what == "image-compact") return "it is compact already; nothing to do";
  return nullptr;
}

const char* notKept(const std::string& what) {
  if (what == "name") return "the other drive's file system has no such names";
  if (what == "length") return "it is longer than a file may be on the other drive";
  if (what == "case") return "names in it differ in case alone, which the other drive takes for one";
  if (what == "kind") return "something in it is neither file, folder nor link, and cannot be copied";
  return "the other drive's file system has no links";
}

}  // namespace

std::string DriveWords::problem(Errc code, const std::string& detail) const {
  if (code == Errc::lastCopy && detail == "equally-new")
    return t(
        "all of them were changed at one time, so nobody can say which is the newest; plan the one that may "
        "go by its own path");
  if (code == Errc::onDrive && detail == "other-drive")
    return t("that folder lies on this drive; choose one on another drive");
  if (code == Errc::noSpace && detail == "other-drive")
    return t("the other drive has no room for it beside what should stay free there");
  if (code == Errc::unmet)
    if (const char* why = inTheWay(detail)) return t(why);
  if (code == Errc::unmet && detail.starts_with("also "))
    return t("%1 would go with it; agree to that by name first", {detail.substr(5)});
  if (code == Errc::cannotKeep) return t(notKept(detail));
  const std::string text = t(problemText(code));
  return detail.empty() ? text : text + " (" + detail + ")";
}

std::string DriveWords::error(const Error& e) const {
  std::string text = e.path.empty() ? std::string(e.operation) : path(e.path);
  if (e.code == Errc::corrupt && e.operation == "register")
    return text + ": " +
           t("the register of drives is damaged; \"ztally drives --mend\" takes over what can be read of it");
  text += ": " + problem(e.code, e.detail);
  if (e.code == Errc::io && e.sysErrno != 0) text += std::string(" (") + std::strerror(e.sysErrno) + ")";
  return text;
}

std::string DriveWords::left(const LeftLine& line) const {
  return t("%1 left the plan: %2", {path(line.path), problem(line.why)});
}

}  // namespace zt
