// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/style/words.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QLocale>

namespace zt::desktop {

namespace {
UnitBase chosenBase = UnitBase::decimal;
QString t(const char* text) {
  return QCoreApplication::translate("Words", text);
}
}  // namespace

QString Words::bytes(Bytes amount) {
  return QString::fromStdString(formatBytes(amount, chosenBase));
}
QString Words::signedBytes(SignedBytes amount) {
  return QString::fromStdString(formatSigned(amount, chosenBase));
}
QString Words::exact(Bytes amount) {
  return QLocale().toString(static_cast<qulonglong>(amount)) + QStringLiteral(" B");
}
void Words::setBase(UnitBase base) {
  chosenBase = base;
}
UnitBase Words::base() {
  return chosenBase;
}
QString Words::baseNote() {
  return chosenBase == UnitBase::decimal ? QStringLiteral("1 GB = 10\u2079 B")
                                         : QStringLiteral("1 GiB = 2\u00B3\u2070 B");
}

QString Words::path(std::string_view bytes) {
  return QString::fromStdString(escapePath(bytes));
}

QString Words::standing(Standing s) {
  switch (s) {
    case Standing::bedrock:
      return t("bedrock");
    case Standing::kept:
      return t("kept");
    case Standing::unjudged:
      return t("unjudged");
    case Standing::ownersCall:
      return t("owner's call");
    case Standing::rebuilds:
      return t("rebuilds");
    case Standing::spent:
      return t("spent");
  }
  return {};
}

QString Words::standingMeaning(Standing s) {
  switch (s) {
    case Standing::bedrock:
      return t("the system needs it; it is locked");
    case Standing::kept:
      return t("someone said keep");
    case Standing::unjudged:
      return t("nobody has looked at it yet");
    case Standing::ownersCall:
      return t("personal; its owner may move it or let it go");
    case Standing::rebuilds:
      return t("comes back by itself, at a cost");
    case Standing::spent:
      return t("serves nothing any more");
  }
  return {};
}

QString Words::regret(Regret r) {
  switch (r) {
    case Regret::none:
      return t("none");
    case Regret::timeOrBandwidth:
      return t("time or bandwidth");
    case Regret::wayBack:
      return t("a way back");
    case Regret::personalMoved:
      return t("something moved");
    case Regret::personalGone:
      return t("something gone");
  }
  return {};
}

QString Words::role(DriveRole r) {
  switch (r) {
    case DriveRole::system:
      return t("system");
    case DriveRole::data:
      return t("data");
    case DriveRole::backup:
      return t("backup");
    case DriveRole::removable:
      return t("removable");
    case DriveRole::recovery:
      return t("recovery");
    case DriveRole::boot:
      return t("boot");
    case DriveRole::network:
      return t("network");
  }
  return {};
}

QString Words::kind(DriveKind k) {
  switch (k) {
    case DriveKind::unknown:
      return t("kind unknown");
    case DriveKind::solidState:
      return t("solid-state");
    case DriveKind::rotating:
      return t("rotating");
    case DriveKind::removable:
      return t("removable");
    case DriveKind::network:
      return t("network");
  }
  return {};
}

QString Words::urgency(Urgency u) {
  switch (u) {
    case Urgency::fine:
      return t("fine");
    case Urgency::cramped:
      return t("cramped");
    case Urgency::emergency:
      return t("emergency");
    case Urgency::fullByDesign:
      return t("full by design");
  }
  return {};
}

QString Words::ageBand(AgeBand b) {
  switch (b) {
    case AgeBand::today:
      return t("today");
    case AgeBand::week:
      return t("this week");
    case AgeBand::month:
      return t("this month");
    case AgeBand::halfYear:
      return t("half a year");
    case AgeBand::year:
      return t("a year");
    case AgeBand::threeYears:
      return t("1–3 years");
    case AgeBand::older:
      return t("older");
  }
  return {};
}

QString Words::sinceModified(AgeBand b) {
  switch (b) {
    case AgeBand::today:
      return t("modified today");
    case AgeBand::week:
      return t("modified this week");
    case AgeBand::month:
      return t("modified this month");
    case AgeBand::halfYear:
      return t("not modified for a month or more");
    case AgeBand::year:
      return t("not modified for half a year or more");
    case AgeBand::threeYears:
      return t("not modified for one to three years");
    case AgeBand::older:
      return t("not modified for more than three years");
  }
  return {};
}

QString Words::findKind(FindKind k) {
  switch (k) {
    case FindKind::large:
      return t("large file");
    case FindKind::old:
      return t("old files");
    case FindKind::dormant:
      return t("dormant folder");
    case FindKind::trash:
      return t("trash");
    case FindKind::picked:
      return t("picked by hand");
  }
  return {};
}

QString Words::action(StepAction a, FindKind k) {
  if (a == StepAction::hold) return t("hold");
  return k == FindKind::trash ? t("empty") : t("discard");
}

QString Words::when(GainTime time) {
  switch (time) {
    case GainTime::now:
      return t("now");
    case GainTime::onRelease:
      return t("when released");
    case GainTime::atRestart:
      return t("at restart");
    case GainTime::untilNextStart:
      return t("until next start");
  }
  return {};
}

QString Words::problem(Errc code, const std::string& detail) {
  const QString with =
      detail.empty() ? QString() : QStringLiteral(" (") + QString::fromStdString(detail) + QLatin1Char(')');
  switch (code) {
    case Errc::notThere:
      return t("it is not there any more") + with;
    case Errc::notPermitted:
      return t("the rights do not suffice; start Zip Tally with more rights, or leave it") + with;
    case Errc::notAFolder:
      return t("it is not a folder") + with;
    case Errc::notAFile:
      return t("it is not a file") + with;
    case Errc::taken:
      return t("something of that name stands there already") + with;
    case Errc::noSpace:
      return t("there is no space left") + with;
    case Errc::otherDevice:
      return t("another drive or subvolume lies there") + with;
    case Errc::outsideRoot:
      return t("the path would leave the drive") + with;
    case Errc::changed:
      return t("it is not what was measured any more; measure again") + with;
    case Errc::bedrock:
      return t("the system needs it; it is locked") + with;
    case Errc::inUse:
      return t("it is in use") + with;
    case Errc::badInput:
      return t("it cannot be understood") + with;
    case Errc::corrupt:
      return t("the file is damaged; open an older copy or measure anew") + with;
    case Errc::notOurs:
      return t("it is not a file of Zip Tally") + with;
    case Errc::tooNew:
      return t("a newer version of Zip Tally wrote it") + with;
    case Errc::conflict:
      return t("another line of the plan does something else with it; drop that line first") + with;
    case Errc::noConsent:
      return t("it needs consent first") + with;
    case Errc::tooManyOpen:
      return t("too many files are open; close other programs and try again") + with;
    case Errc::unsupported:
      return t("the file system cannot do that") + with;
    case Errc::cancelled:
      return t("it was stopped") + with;
    case Errc::onDrive:
      return t("the job file would lie on the drive that is measured") + with;
    case Errc::busy:
      return t("another window or program has it open") + with;
    case Errc::imported:
      return t("the survey was imported; it can be explored, not reclaimed by");
    case Errc::io:
      return t("the system reports a failure; check the drive and its cable") + with;
  }
  return {};
}

QString Words::error(const Error& e) {
  const QString what = e.path.empty()
                           ? QString::fromUtf8(e.operation.data(), static_cast<qsizetype>(e.operation.size()))
                           : path(e.path);
  return what + QStringLiteral(": ") + problem(e.code, e.detail);
}

QString Words::statementLine(StatementLine line) {
  switch (line) {
    case StatementLine::free:
      return t("free");
    case StatementLine::reserved:
      return t("reserved");
    case StatementLine::files:
      return t("files");
    case StatementLine::snapshots:
      return t("snapshots");
    case StatementLine::openDeleted:
      return t("open but deleted");
    case StatementLine::beneathMounts:
      return t("beneath mounts");
    case StatementLine::overhead:
      return t("file system's own");
    case StatementLine::elsewhere:
      return t("not looked at");
    case StatementLine::unexplained:
      return t("unexplained");
  }
  return {};
}

QString Words::exception(SurveyException::Kind kind) {
  switch (kind) {
    case SurveyException::Kind::unreadable:
      return t("could not be read");
    case SurveyException::Kind::vanished:
      return t("vanished while measured");
    case SurveyException::Kind::mountedOver:
      return t("another drive is mounted here");
    case SurveyException::Kind::swapped:
      return t("was exchanged while measured; not entered");
    case SurveyException::Kind::unanswered:
      return t("the system did not answer in time; given up");
  }
  return {};
}

QString Words::itemState(ItemState s) {
  switch (s) {
    case ItemState::intended:
      return t("waiting");
    case ItemState::held:
      return t("in the hold");
    case ItemState::discarding:
      return t("being removed");
    case ItemState::gone:
      return t("gone");
    case ItemState::returning:
      return t("being put back");
    case ItemState::returned:
      return t("put back");
    case ItemState::refused:
      return t("not touched");
    case ItemState::missing:
      return t("missing");
  }
  return {};
}

QString Words::lineState(LineOutcome::State s) {
  switch (s) {
    case LineOutcome::State::done:
      return t("done");
    case LineOutcome::State::partly:
      return t("done in part");
    case LineOutcome::State::refused:
      return t("not done");
    case LineOutcome::State::notReached:
      return t("not reached");
  }
  return {};
}

QString Words::reason(const ProofReason& r) {
  using Kind = ProofReason::Kind;
  const QString amount = r.bytes == 0 ? QString() : signedBytes(r.bytes) + QStringLiteral(": ");
  switch (r.kind) {
    case Kind::notDone:
      return amount + problem(r.code, r.detail);
    case Kind::notReached:
      return t("the run was stopped before it");
    case Kind::held:
      return bytes(static_cast<Bytes>(-r.bytes)) + t(" in the hold; comes free when released");
    case Kind::putBack:
      return t("put back");
    case Kind::linksRemain:
      return amount + t("further names outside the plan keep it");
    case Kind::cameBack:
      return t("something stands at the old place again");
    case Kind::stillOpen:
      return amount + t("still open in ") + QString::fromStdString(r.detail);
    case Kind::lessOccupied:
      return amount + t("it occupied something else when it went");
  }
  return {};
}

QString Words::targetName(const Target& target) {
  switch (target.origin) {
    case TargetOrigin::task:
      return target.label.empty() ? QString::fromStdString(target.amount)
                                  : QString::fromStdString(escapePath(target.label));
    case TargetOrigin::tenPercent:
      return t("10 % rule");
    case TargetOrigin::fifteenRotating:
      return t("15 % rule");
    case TargetOrigin::quarterSolidState:
      return t("25 % rule");
    case TargetOrigin::tenGigabytes:
      return t("10 GB rule");
  }
  return {};
}

QString Words::targetReason(const Target& target) {
  switch (target.origin) {
    case TargetOrigin::task:
      return target.amount.find('%') == std::string::npos ? t("needed by a task")
                                                          : t("the house's own share");
    case TargetOrigin::tenPercent:
      return t("room for working files, and for files to lie in one piece");
    case TargetOrigin::fifteenRotating:
      return t("a rotating drive slows down when files lie in pieces");
    case TargetOrigin::quarterSolidState:
      return t("a solid-state drive needs spare blocks to spread its wear");
    case TargetOrigin::tenGigabytes:
      return t("enough for updates, for now");
  }
  return {};
}

QString Words::driveName(const Drive& d) {
  if (!d.label.empty()) return QString::fromStdString(escapePath(d.label));
  if (d.target == "/") return t("this machine");
  return path(baseName(d.target));
}

QString Words::driveLine(const Drive& d) {
  return role(d.role) + QStringLiteral(" · ") + kind(d.kind) + QStringLiteral(" · ") +
         bytes(d.usage.capacity);
}

QString Words::age(TimeNs then, TimeNs now) {
  const auto days = (now - then) / nsPerDay;
  if (then == 0) return t("unknown");
  if (days < 0) return t("in the future");
  if (days < 1) return t("today");
  if (days < 2) return t("yesterday");
  if (days < 60) return t("%1 days").arg(days);
  if (days < 730) return t("%1 months").arg(days * 12 / 365);
  return t("%1 years").arg(days / 365);
}

QString Words::clockTime(TimeNs time) {
  return QLocale().toString(QDateTime::fromSecsSinceEpoch(time / nsPerSecond).time(),
                            QStringLiteral("HH:mm"));
}

QString Words::date(TimeNs time) {
  return QLocale().toString(QDateTime::fromSecsSinceEpoch(time / nsPerSecond).date(), QLocale::ShortFormat);
}

QString Words::owner(const FindContext& context, std::uint32_t number) {
  const auto name = context.options.owners.name(number);
  return name ? QString::fromUtf8(name->data(), static_cast<qsizetype>(name->size()))
              : t("user %1").arg(number);
}

QString Words::fileKind(FileKind kind) {
  switch (kind) {
    case FileKind::sound:
      return t("sound");
    case FileKind::picture:
      return t("picture");
    case FileKind::video:
      return t("video");
    case FileKind::archive:
      return t("archive or image");
    case FileKind::document:
      return t("document");
    case FileKind::program:
      return t("program");
    case FileKind::other:
      return t("other");
  }
  return {};
}

QString Words::things(std::uint64_t count) {
  return count == 1 ? t("1 thing") : t("%1 things").arg(QLocale().toString(static_cast<qulonglong>(count)));
}

QString Words::findTitle(const Find& f) {
  if (f.kind == FindKind::old)
    return t("old files in %1").arg(f.place.empty() ? QStringLiteral("/") : path(f.place));
  if (f.kind == FindKind::trash) {
    const auto parts = splitPath(f.place);
    return t("trash · %1").arg(parts.size() > 1 && parts[0] == "home" ? path(parts[1]) : path(f.place));
  }
  return f.items.empty() ? QString() : path(f.items.front().path);
}

QString Words::findNote(const Find& f) {
  const QString files = f.files == 1 ? t("1 file") : t("%1 files").arg(QLocale().toString(f.files));
  switch (f.kind) {
    case FindKind::large:
      return t("large file, %1").arg(sinceModified(f.band));
    case FindKind::old:
      return files + QStringLiteral(", ") + sinceModified(f.band);
    case FindKind::dormant:
      return t("dormant: %1, %2").arg(files, sinceModified(f.band));
    case FindKind::trash:
      return t("%1 thrown away").arg(things((f.items.size() + 1) / 2));
    case FindKind::picked:
      return t("picked by hand, %1").arg(files);
  }
  return {};
}

}  // namespace zt::desktop
