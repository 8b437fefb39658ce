// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/lines.h"
#include "core/reclaim/step_executor.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/with_rights.h"

namespace zt {

namespace {

constexpr std::size_t mostSettings = std::size_t{1} << 20;

/// What has to be there again when the loan is paid back.
struct Prior {
  Bytes size = 0;     ///< of the file
  int priority = -1;  ///< below zero: by the kernel's choice
  std::string fstab;  ///< its line, byte for byte; empty where another setting starts it
  std::string uuid;   ///< of the swap space, 36 letters; empty where it has none
  std::string label;
  std::uint32_t mode = 0600;
};

std::string toText(const Prior& prior) {
  return Json{{"size", prior.size}, {"priority", prior.priority}, {"fstab", prior.fstab},
              {"uuid", prior.uuid}, {"label", prior.label},       {"mode", prior.mode}}
      .dump(-1, ' ', false, Json::error_handler_t::replace);
}

Result<Prior> priorOf(const JournalRecord& record) {
  const Json json = parseJson(record.payload);
  JsonReader in(json);
  Prior prior;
  prior.size = in.number<Bytes>("size");
  prior.priority = in.number<int>("priority");
  prior.fstab = in.text("fstab");
  prior.uuid = in.text("uuid");
  prior.label = in.text("label");
  prior.mode = in.number<std::uint32_t>("mode");
  if (!in.ok()) return fail(Errc::corrupt, "loan", record.path);
  return prior;
}

/// A swap file of the running system is switched off, its line in fstab made a remark, and its file goes.
/// Paid back, all of it is as it was.
class SwitchOff final : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    const auto swap = swapOf(site, record);
    if (!swap) return tl::unexpected(swap.error());
    const auto file = fileOf(site, record);
    if (!file) return tl::unexpected(file.error());
    if (site.drive.context->survey.fsType == "btrfs")
      return fail(Errc::unmet, "switch-off", record.path, "swap-btrfs");
    // A tenth beyond what lies in it: other programs go on meanwhile.
    if (swap->used + swap->used / 10 > site.drive.live->spareMemory())
      return fail(Errc::unmet, "switch-off", record.path, "swap-memory");
    return resumesFrom(site) ? fail(Errc::unmet, "switch-off", record.path, "swap-resume") : Result<void>{};
  }

  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    if (auto fits = check(site, record); !fits) return fits;
    const auto swap = swapOf(site, record);
    const auto file = fileOf(site, record);
    if (!swap) return tl::unexpected(swap.error());
    if (!file) return tl::unexpected(file.error());
    Prior prior;
    prior.size = file->stat.length;
    prior.mode = file->stat.mode;
    prior.priority = swap->priority;
    const auto head = site.drive.files->readHead(*file->parent, baseName(record.path), 4096);
    if (!head) return tl::unexpected(head.error());
    readHeader(head->bytes, prior);
    if (const auto line = fstabLine(site, record)) prior.fstab = *line;
    record.payload = toText(prior);
    return {};
  }

  Result<void> apply(StepSite& site, JournalRecord& record) const override {
    if (auto fits = check(site, record); !fits) return fits;
    if (auto remarked = rewriteFstab(site, record, true); !remarked) return remarked;
    return asked(site, record, {"swapoff", kernelPath(site, record)});
  }

  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    const auto swap = swapOf(site, record);
    if (swap) return fail(Errc::inUse, "switch-off", record.path, "swap");
    if (swap.error().code != Errc::notThere) return tl::unexpected(swap.error());
    const auto file = fileOf(site, record);
    if (!file) return tl::unexpected(file.error());
    const auto* holder = site.holders.holderOf(file->stat.device, file->stat.inode);
    return holder == nullptr ? Result<void>{} : fail(Errc::inUse, "switch-off", record.path, *holder);
  }
  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    const auto file = fileOf(site, record);
    if (!file) return tl::unexpected(file.error());
    if (auto gone = site.drive.files->unlink(*file->parent, baseName(record.path)); !gone) {
      if (auto back = undo(site, record); !back) return back;
      return gone;
    }
    record.freed = {file->stat.occupied, file->stat.occupied};
    record.state = ItemState::done;
    return {};
  }

  /// Pays the loan back: as far as it was taken.
  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    if (!site.drive.live) return fail(Errc::unsupported, "repay", record.path);
    const auto prior = priorOf(record);
    if (!prior) return tl::unexpected(prior.error());
    const auto now = look(site.drive, record.path);
    if (!now && now.error().code != Errc::notThere) return tl::unexpected(now.error());
    if (!now) {
      if (auto made = makeAgain(site, record, *prior); !made) return made;
    } else if (now->stat.kind != EntryKind::file || now->stat.length != prior->size) {
      return fail(Errc::taken, "repay", record.path);
    }
    const auto used = swapOf(site, record);
    if (!used && used.error().code != Errc::notThere) return tl::unexpected(used.error());
    if (!used)
      if (auto on = switchOn(site, record, prior->priority); !on) return on;
    if (auto back = rewriteFstab(site, record, false); !back) return back;
    // As the kernel has it, not as it was asked for.
    const auto again = swapOf(site, record);
    if (!again) return tl::unexpected(again.error());
    record.state = ItemState::returned;
    return {};
  }

  /// A run that was cut short: what is still there is switched on again, what has gone is an open loan.
  Result<void> recover(StepSite& site, JournalRecord& record) const override {
    if (record.payload.empty()) return record.state = ItemState::returned, Result<void>{};
    const auto now = look(site.drive, record.path);
    if (!now && now.error().code == Errc::notThere && record.state == ItemState::discarding) {
      record.freed = {record.occupied, record.occupied};
      record.state = ItemState::done;
      return {};
    }
    return undo(site, record);
  }

private:
  static PathBytes kernelPath(const StepSite& site, const JournalRecord& record) {
    const PathBytes& root = site.drive.context->survey.root;
    return (root == "/" ? PathBytes{} : root) + "/" + record.path;
  }

  /// Runs a program that says by its status whether it did what it was asked.
  static Result<void> asked(const StepSite& site, const JournalRecord& record,
                            const std::vector<std::string>& ask) {
    const auto ran = site.drive.live->run(ask, site.drive.alive);
    if (!ran) return tl::unexpected(ran.error());
    return ran->status == 0 ? Result<void>{} : fail(Errc::io, "swap", record.path, ran->err.substr(0, 200));
  }

  static Result<void> switchOn(const StepSite& site, const JournalRecord& record, int priority) {
    std::vector<std::string> ask{"swapon"};
    // Below zero it is the kernel's own choice.
    if (priority >= 0) ask.insert(ask.end(), {"-p", std::to_string(priority)});
    ask.push_back(kernelPath(site, record));
    return asked(site, record, ask);
  }

  /// As the kernel uses it now. Fails with notThere where it does not.
  static Result<SwapUse> swapOf(const StepSite& site, const JournalRecord& record) {
    if (!site.drive.live) return fail(Errc::unsupported, "switch-off", record.path);
    const auto all = site.drive.live->swaps();
    if (!all) return tl::unexpected(all.error());
    const PathBytes path = kernelPath(site, record);
    const auto at = std::find_if(all->begin(), all->end(), [&](const SwapUse& s) { return s.path == path; });
    return at == all->end() ? Result<SwapUse>(fail(Errc::notThere, "switch-off", record.path)) : *at;
  }

  /// The file that was measured; its times change as it is used.
  static Result<Looked> fileOf(const StepSite& site, const JournalRecord& record) {
    auto now = look(site.drive, record.path);
    if (!now) return now;
    const bool same = now->stat.kind == EntryKind::file && now->stat.inode == record.identity.inode &&
                      now->stat.length == record.identity.length && now->stat.links == 1;
    return same ? std::move(now) : Result<Looked>(fail(Errc::changed, "switch-off", record.path));
  }

  static Result<std::string> settings(const StepSite& site, std::string_view folder, std::string_view name) {
    const auto at = site.drive.files->openBeneath(*site.drive.root, folder);
    return at ? site.drive.files->readFile(**at, name, mostSettings)
              : Result<std::string>(tl::unexpected(at.error()));
  }

  /// A session may be resumed from a place within the file: the new one would lie elsewhere.
  static bool resumesFrom(const StepSite& site) {
    for (const auto& [folder, name] : {std::pair("etc/default", "grub"), std::pair("etc/kernel", "cmdline"),
                                       std::pair("etc/initramfs-tools/conf.d", "resume")})
      if (const auto text = settings(site, folder, name);
          text && text->find("resume_offset=") != std::string::npos)
        return true;
    return false;
  }

  static std::optional<std::string> fstabLine(const StepSite& site, const JournalRecord& record) {
    const auto text = settings(site, "etc", "fstab");
    if (!text) return std::nullopt;
    std::optional<std::string> found;
    eachLine(*text, [&](std::string_view line) {
      const auto begin = line.find_first_not_of(" \t");
      if (begin == std::string_view::npos || line[begin] == '#') return;
      const auto end = line.find_first_of(" \t", begin);
      if (end != std::string_view::npos && line.substr(begin, end - begin) == "/" + record.path) found = line;
    });
    return found;
  }

  /// Its line becomes a remark, or a line again; all others stay byte for byte.
  static Result<void> rewriteFstab(const StepSite& site, const JournalRecord& record, bool off) {
    const auto prior = priorOf(record);
    if (!prior) return tl::unexpected(prior.error());
    if (prior->fstab.empty()) return {};
    const auto text = settings(site, "etc", "fstab");
    if (!text) return tl::unexpected(text.error());
    const std::string remark = "# switched off for a while by Zip Tally: " + prior->fstab;
    const std::string& from = off ? prior->fstab : remark;
    const std::string whole = "\n" + *text;
    const auto at = whole.find("\n" + from + (whole.ends_with("\n") ? "\n" : ""));
    if (at == std::string::npos) {
      const bool already = whole.find("\n" + (off ? remark : prior->fstab)) != std::string::npos;
      return already ? Result<void>{} : fail(Errc::changed, "fstab", "etc/fstab");
    }
    std::string now = whole;
    now.replace(at + 1, from.size(), off ? remark : prior->fstab);
    const auto folder = site.drive.files->openBeneath(*site.drive.root, "etc");
    if (!folder) return tl::unexpected(folder.error());
    return site.drive.files->rewriteFile(**folder, "fstab", *text, std::string_view(now).substr(1));
  }

  /// Swap space, version 1: include/linux/swap.h.
  static void readHeader(std::string_view head, Prior& prior) {
    if (head.size() < 4096 || head.substr(4086, 10) != "SWAPSPACE2") return;
    constexpr std::string_view digits = "0123456789abcdef";
    const std::string_view raw = head.substr(1036, 16);
    if (raw.find_first_not_of('\0') != std::string_view::npos)
      for (std::size_t i = 0; i < raw.size(); ++i) {
        if (i == 4 || i == 6 || i == 8 || i == 10) prior.uuid += '-';
        const auto c = static_cast<unsigned char>(raw[i]);
        prior.uuid += {digits[c >> 4], digits[c & 15]};
      }
    const std::string_view label = head.substr(1052, 16);
    prior.label = label.substr(0, label.find('\0'));
  }

  static Result<void> makeAgain(StepSite& site, const JournalRecord& record, const Prior& prior) {
    const auto usage = site.drive.files->usage(*site.drive.root);
    if (!usage) return tl::unexpected(usage.error());
    if (usage->available < prior.size) return fail(Errc::noSpace, "repay", record.path);
    const auto folder = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
    if (!folder) return tl::unexpected(folder.error());
    const auto drop = [&](const Error& why) -> Result<void> {
      (void)site.drive.files->unlink(**folder, baseName(record.path));
      return tl::unexpected(why);
    };
    auto made = site.drive.files->createFile(**folder, baseName(record.path), prior.mode & 0700u);
    if (!made) return tl::unexpected(made.error());
    const std::vector<char> zeros(std::size_t{1} << 20, '\0');
    for (Bytes at = 0; at < prior.size; at += zeros.size()) {
      if (site.stop.stop_requested()) return drop({Errc::cancelled, "repay", record.path, 0, {}});
      const auto size = static_cast<std::size_t>(std::min<Bytes>(zeros.size(), prior.size - at));
      if (auto put = (*made)->write(at, std::span(zeros).first(size)); !put) return drop(put.error());
    }
    if (auto synced = (*made)->sync(); !synced) return drop(synced.error());
    made->reset();
    std::vector<std::string> ask{"mkswap"};
    if (!prior.uuid.empty()) ask.insert(ask.end(), {"-U", prior.uuid});
    if (!prior.label.empty()) ask.insert(ask.end(), {"-L", prior.label});
    ask.push_back(kernelPath(site, record));
    if (auto ran = asked(site, record, ask); !ran) return drop(ran.error());
    return {};
  }
};

}  // namespace

StepKind switchOffStep() {
  StepKind kind;
  kind.id = "switch-off";
  kind.label = "switch off for a while";
  kind.mark = "to switch off";
  kind.loss = "less room for programs until it is paid back; then it is as it was";
  kind.regret = RegretRule::asFound;
  kind.gives = GainShare::some;
  kind.undo = UndoRule::payBack;
  kind.together = 1;
  kind.stopsUse = true;
  kind.subjects = {SubjectKind::memory};
  kind.rights = RightsRule::live;
  kind.executor = withRights(std::make_shared<SwitchOff>());
  return kind;
}

}  // namespace zt
