// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/copy_facts.h"
#include "core/reclaim/step_executor.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/with_rights.h"

namespace zt {

namespace {

constexpr std::string_view journal = "var/log/journal";
constexpr std::string_view settingFolder = "etc/systemd/journald.conf.d";
constexpr std::string_view settingName = "90-zip-tally.conf";

/// Keeps the journal of the running system within a size: by a setting of its own, beside those that are
/// there, and by asking it to let go what is beyond that now. journald.conf(5), journalctl(1).
class Limit final : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    if (!site.drive.live || !site.drive.context->options.live)
      return fail(Errc::unmet, "limit", record.path, "not-live");
    if (record.path != journal) return fail(Errc::unsupported, "limit", record.path);
    if (sizeOf(record) < Bytes{16} << 20) return fail(Errc::badInput, "limit", record.path, "size");
    const auto now = look(site.drive, record.path);
    if (!now) return tl::unexpected(now.error());
    return now->stat.kind == EntryKind::folder ? Result<void>{}
                                               : fail(Errc::notAFolder, "limit", record.path);
  }
  Result<void> prepare(StepSite& site, JournalRecord& record) const override { return check(site, record); }

  Result<void> apply(StepSite& site, JournalRecord& record) const override {
    const auto folder = openOrMake(*site.drive.files, site.drive.root, settingFolder, 0755);
    if (!folder) return tl::unexpected(folder.error());
    auto made = site.drive.files->createFile(**folder, settingName, 0644);
    if (!made) return tl::unexpected(made.error());
    const std::string text = textOf(record);
    if (auto put = (*made)->write(0, text); !put) return put;
    return (*made)->sync();
  }
  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    const auto folder = site.drive.files->openBeneath(*site.drive.root, settingFolder);
    const auto text = folder ? site.drive.files->readFile(**folder, settingName, 4096)
                             : Result<std::string>(tl::unexpected(folder.error()));
    return text && *text == textOf(record) ? Result<void>{} : fail(Errc::changed, "limit", record.path);
  }
  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    const auto before = site.drive.files->usage(*site.drive.root);
    for (const std::vector<std::string>& ask :
         {std::vector<std::string>{"systemctl", "try-restart", "systemd-journald.service"},
          std::vector<std::string>{"journalctl", "--rotate"},
          std::vector<std::string>{"journalctl", "--vacuum-size=" + std::to_string(sizeOf(record))}}) {
      const auto ran = site.drive.live->run(ask, site.drive.alive);
      if (ran && ran->status == 0) continue;
      if (auto back = undo(site, record); !back) return back;
      return ran ? fail(Errc::io, "limit", record.path, ran->err.substr(0, 200))
                 : Result<void>(tl::unexpected(ran.error()));
    }
    const auto after = site.drive.files->usage(*site.drive.root);
    if (before && after && after->free > before->free)
      record.freed = {after->free - before->free, after->free - before->free};
    record.state = ItemState::done;
    return {};
  }

  /// The setting goes; what the journal let go is gone.
  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    if (const auto folder = site.drive.files->openBeneath(*site.drive.root, settingFolder)) {
      const auto text = site.drive.files->readFile(**folder, settingName, 4096);
      if (text && *text == textOf(record))
        if (auto gone = site.drive.files->unlink(**folder, settingName); !gone) return gone;
    }
    record.state = ItemState::returned;
    return {};
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override { return undo(site, record); }

private:
  static Bytes sizeOf(const JournalRecord& record) { return record.parameters.count("bytes").value_or(0); }
  static std::string textOf(const JournalRecord& record) {
    return "# Set by Zip Tally; take this file away to undo it.\n[Journal]\nSystemMaxUse=" +
           std::to_string(sizeOf(record)) + "\n";
  }
};

}  // namespace

StepKind limitStep() {
  StepKind kind;
  kind.id = "limit";
  kind.label = "keep within a size";
  kind.mark = "to limit";
  kind.loss = "the oldest records beyond that size";
  kind.gives = GainShare::some;
  kind.liveOnly = true;
  kind.together = 1;
  kind.subjects = {SubjectKind::memory, SubjectKind::entry};
  kind.takes = {{"bytes", ParameterKind::count, true}};
  kind.rights = RightsRule::live;
  kind.executor = withRights(std::make_shared<Limit>());
  return kind;
}

}  // namespace zt
