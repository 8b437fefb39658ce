// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session.h"

#include <QFile>
#include <QSaveFile>
#include <QSettings>

#include "core/survey/files/exchange.h"

namespace zt::desktop {

std::optional<Mark> JobView::markOf(const std::string& id) const {
  for (const auto& [find, mark] : marked)
    if (find == id) return mark;
  return std::nullopt;
}

/// Hands progress to the GUI thread.
class Session::Sink final : public ProgressSink {
public:
  explicit Sink(Session& session) : session_(session) {}
  void report(const Progress& progress) override {
    QMetaObject::invokeMethod(
        &session_, [s = &session_, progress] { Q_EMIT s->progressed(progress); }, Qt::QueuedConnection);
  }

private:
  Session& session_;
};

Session::Session(System& system, QObject* parent) : QObject(parent), system_(system), worker_(new QObject) {
  worker_->moveToThread(&thread_);
  thread_.setObjectName(QStringLiteral("job"));
  thread_.start();
}

Session::~Session() {
  stop_.request_stop();
  QMetaObject::invokeMethod(
      worker_, [this] { job_.reset(); }, Qt::BlockingQueuedConnection);
  thread_.quit();
  thread_.wait();
  delete worker_;
}

void Session::stop() {
  stop_.request_stop();
  setPaused(false);
}

void Session::setPaused(bool paused) {
  pause_.setPaused(paused);
}

bool Session::paused() const {
  return pause_.paused();
}

void Session::post(Work work, Task task, std::function<void()> then) {
  ++waiting_;
  if (work != Work::editing || work_ == Work::none) work_ = work;
  Q_EMIT workChanged();
  QMetaObject::invokeMethod(
      worker_,
      [this, task = std::move(task), then = std::move(then), before = view_] {
        const Result<void> done = task(job_);
        auto fresh = std::make_shared<JobView>(job_ ? snapshot(*job_, before) : JobView{});
        QMetaObject::invokeMethod(
            this,
            [this, done, fresh, then] {
              const auto proposal = view_.proposal;
              const auto report = view_.report;
              const bool sameJob = view_.file == fresh->file && view_.root == fresh->root;
              view_ = std::move(*fresh);
              live_.reset();  // no one sees both what grows and what it grew into
              if (sameJob && !view_.proposal) view_.proposal = proposal;
              if (sameJob && !view_.report) view_.report = report;
              if (--waiting_ == 0) work_ = Work::none;
              Q_EMIT workChanged();
              Q_EMIT changed();
              if (!done && done.error().code != Errc::cancelled) Q_EMIT failed(done.error());
              if (done && then) then();
            },
            Qt::QueuedConnection);
      },
      Qt::QueuedConnection);
}

namespace {

/// Occupied bytes by standing; an inode with several names counts where its first name lies.
std::array<Bytes, standings> strataOf(const FindContext& c) {
  std::array<Bytes, standings> sums{};
  const auto add = [&](NodeId id) { sums[static_cast<std::size_t>(c.standing[id])] += c.tree.occupied(id); };
  for (NodeId id = 0; id < c.tree.size(); ++id)
    if (!c.tree.isLinked(id)) add(id);
  std::uint32_t next = 0;
  for (const LinkedNode& link : c.tree.linked())
    if (link.group == next) {
      add(link.node);
      ++next;
    }
  return sums;
}

std::array<Bytes, standings> plannedByStanding(const JobView& v) {
  std::array<Bytes, standings> sums{};
  for (std::size_t i = 0; i < v.plan.lines.size(); ++i)
    sums[static_cast<std::size_t>(v.plan.lines[i].standing)] += v.steps[i];
  return sums;
}

}  // namespace

namespace {
/// Takes what runs on this survey have freed out of the strata it came from, so that the Level sinks where
/// something went.
void lowerStrata(Job& job, JobView& v) {
  v.strata = strataOf(*v.context);
  const auto runs = job.store().runs(false);
  if (!runs) return;
  for (const auto& run : *runs)
    if (const auto records = job.store().records(run.id, {}))
      for (const auto& r : *records)
        if (const auto node = v.survey->tree.find(r.path)) {
          Bytes& stratum = v.strata[static_cast<std::size_t>(v.context->standing[*node])];
          stratum -= std::min(stratum, r.freed);
        }
}
}  // namespace

JobView Session::snapshot(Job& job, const JobView& before) {
  JobView v;
  v.open = true;
  v.drive = job.site().drive();
  v.root = job.site().root();
  v.file = job.file();
  v.targets = job.targets();
  v.survey = job.survey();
  v.context = job.context();
  v.finds = job.finds();
  v.plan = job.plan();
  v.free = job.freeNow();
  v.freeAt = job.freeReadAt();
  v.stale = job.stale();
  v.imported = job.imported();
  v.rightsProblem = job.rightsProblem();
  v.consent = job.consent();
  v.proof = job.proof();
  v.recovered = job.recovered();
  if (auto held = job.heldItems()) v.held = std::move(*held);
  if (v.context) {
    v.steps = stepGains(v.plan, v.context->setGain);
    v.planned = job.planned();
    v.composition =
        before.survey == v.survey ? before.composition : std::make_shared<const Composition>(v.context);
    v.strata = before.survey == v.survey && !before.stale ? before.strata : strataOf(*v.context);
    if (v.stale) lowerStrata(job, v);
    v.plannedFrom = plannedByStanding(v);
    for (const Find& f : *v.finds)
      if (!f.items.empty())
        if (const auto mark = job.markOf(f.items.front().path)) v.marked.emplace_back(f.id, *mark);
  }
  return v;
}

void Session::listDrives() {
  QMetaObject::invokeMethod(worker_, [this] {
    auto drives = zt::listDrives(system_);
    QMetaObject::invokeMethod(
        this,
        [this, drives = std::move(drives)] {
          if (drives)
            drives_ = *drives;
          else
            Q_EMIT failed(drives.error());
          Q_EMIT drivesListed();
        },
        Qt::QueuedConnection);
  });
}

namespace {
/// The headroom rules that the shop follows, as it last ticked them.
std::vector<Target> withShopRules(std::vector<Target> targets, const QStringList& rules) {
  for (Target& t : targets)
    if (t.origin != TargetOrigin::task) t.chosen = rules.contains(QString::fromUtf8(name(t.origin).data()));
  return targets;
}
}  // namespace

void Session::openPlace(const PathBytes& path, bool standIn, const PathBytes& jobFile, bool acceptOnDrive) {
  const QStringList rules = QSettings().value(QStringLiteral("shopRules")).toStringList();
  post(Work::opening,
       [this, path, standIn, jobFile, acceptOnDrive, rules](std::unique_ptr<Job>& slot) -> Result<void> {
         auto job = Job::create(system_, path, standIn, {jobFile, acceptOnDrive});
         if (!job && job.error().code == Errc::onDrive) {
           QMetaObject::invokeMethod(
               this,
               [this, path, standIn, jobFile] {
                 Q_EMIT onDriveRefused(QByteArray::fromStdString(path), standIn,
                                       QByteArray::fromStdString(jobFile));
               },
               Qt::QueuedConnection);
           return fail(Errc::cancelled, "open");
         }
         if (!job) return tl::unexpected(job.error());
         slot = std::move(*job);
         return slot->setTargets(withShopRules(slot->targets(), rules));
       });
}

void Session::openJob(const PathBytes& file) {
  post(Work::opening, [this, file](std::unique_ptr<Job>& slot) -> Result<void> {
    if (slot && slot->file() == file) return {};
    auto job = Job::open(system_, file);
    if (!job) return tl::unexpected(job.error());
    slot = std::move(*job);
    return {};
  });
}

void Session::measure(bool everything) {
  postMeasuring(everything, [](Job& job, const Job::MeasureOptions& options, std::stop_token stop,
                               ProgressSink* sink) { return job.measure(options, stop, sink); });
}

void Session::measureFolder(const PathBytes& folder) {
  postMeasuring(false, [folder](Job& job, const Job::MeasureOptions& options, std::stop_token stop,
                                ProgressSink* sink) {
    // Of one folder there is little to watch, and the rest of the survey stays on show.
    Job::MeasureOptions quiet = options;
    quiet.watch = nullptr;
    return job.measureAgain(folder, quiet, stop, sink);
  });
}

void Session::postMeasuring(bool everything, Measuring measuring) {
  stop_ = std::stop_source();
  setPaused(false);
  post(
      Work::measuring,
      [this, everything, measuring = std::move(measuring),
       stop = stop_.get_token()](std::unique_ptr<Job>& job) -> Result<void> {
        if (!job) return {};
        Sink sink(*this);
        Job::MeasureOptions options;
        options.everything = everything;
        options.pause = &pause_;
        options.watch = [this](const std::shared_ptr<const LiveSurvey>& live) {
          QMetaObject::invokeMethod(
              this, [this, live] { live_ = live; }, Qt::QueuedConnection);
        };
        return measuring(*job, options, stop, &sink);
      },
      [this] { Q_EMIT measured(); });
}

void Session::importSurvey(const PathBytes& file, const PathBytes& jobFile) {
  post(Work::opening, [this, file, jobFile](std::unique_ptr<Job>& slot) -> Result<void> {
    const auto form = exchangeFormOf(file);
    if (!form) return fail(Errc::badInput, "import", file, "*.jsonl.zst, *.csv");
    QFile in(QFile::decodeName(QByteArray::fromStdString(file)));
    if (!in.open(QIODevice::ReadOnly)) return fail(Errc::notThere, "import", file);
    auto survey = zt::importSurvey(*form, [&]() -> std::optional<std::string> {
      const QByteArray piece = in.read(1 << 18);
      if (piece.isEmpty() && in.error() != QFileDevice::NoError) return std::nullopt;
      return piece.toStdString();
    });
    if (!survey) {
      survey.error().path = file;
      return tl::unexpected(survey.error());
    }
    auto job = Job::createImported(system_, std::move(*survey), jobFile);
    if (!job) return tl::unexpected(job.error());
    slot = std::move(*job);
    return {};
  });
}

void Session::exportSurvey(const PathBytes& file) {
  post(
      Work::opening,
      [file](std::unique_ptr<Job>& job) -> Result<void> {
        const auto form = exchangeFormOf(file);
        if (!form) return fail(Errc::badInput, "export", file, "*.jsonl.zst, *.csv");
        if (!job || !job->survey()) return fail(Errc::notThere, "export", file);
        // Written beside and moved into place when it is whole.
        QSaveFile out(QFile::decodeName(QByteArray::fromStdString(file)));
        if (!out.open(QIODevice::WriteOnly)) return fail(Errc::notPermitted, "export", file);
        const auto done = zt::exportSurvey(*job->survey(), *form, [&](std::string_view bytes) {
          const auto size = static_cast<qint64>(bytes.size());
          return out.write(bytes.data(), size) == size;
        });
        if (!done || !out.commit()) return fail(Errc::noSpace, "export", file);
        return {};
      },
      [this, file] { Q_EMIT exported(QByteArray::fromStdString(file)); });
}

void Session::look(NodeId node, std::function<void(const Peek&)> then) {
  auto found = std::make_shared<Peek>();
  post(
      Work::editing,
      [node, found](std::unique_ptr<Job>& job) -> Result<void> {
        if (!job || !job->survey()) return {};
        const auto root = job->site().files().openRoot(job->site().root());
        if (!root) return tl::unexpected(root.error());
        const bool picture = job->context()->kind[node] == FileKind::picture;
        auto seen = peek(job->site().files(), **root, *job->survey(), node, picture);
        if (!seen) return tl::unexpected(seen.error());
        *found = std::move(*seen);
        return {};
      },
      [found, then = std::move(then)] { then(*found); });
}

void Session::editPlan(std::function<Result<void>(Job&)> edit) {
  post(Work::editing, [edit = std::move(edit)](std::unique_ptr<Job>& job) -> Result<void> {
    if (!job) return {};
    return edit(*job);
  });
}

void Session::addTarget(const QString& label, const QString& amount) {
  editPlan([l = label.toStdString(), a = amount.toStdString()](Job& job) { return job.addTarget(l, a); });
}

void Session::setTargets(std::vector<Target> targets) {
  QSettings settings;
  QStringList rules = settings.value(QStringLiteral("shopRules")).toStringList();
  for (const Target& t : targets) {
    if (t.origin == TargetOrigin::task) continue;
    const QString rule = QString::fromUtf8(name(t.origin).data());
    rules.removeAll(rule);
    if (t.chosen) rules.append(rule);
  }
  settings.setValue(QStringLiteral("shopRules"), rules);
  editPlan([targets = std::move(targets)](Job& job) { return job.setTargets(targets); });
}

void Session::planFind(const std::string& id, StepAction action) {
  editPlan([id, action](Job& job) -> Result<void> {
    const Find* find = job.find(id);
    if (find == nullptr) return {};
    return job.addToPlan(*find, action);
  });
}

void Session::pickPath(const PathBytes& path, StepAction action) {
  editPlan([path, action](Job& job) -> Result<void> {
    const auto find = job.pick(path);
    if (!find) return tl::unexpected(find.error());
    return job.addToPlan(**find, action);
  });
}

void Session::drop(const std::string& id) {
  editPlan([id](Job& job) -> Result<void> {
    return job.plan().find(id) == nullptr ? Result<void>{} : job.dropFromPlan(id);
  });
}

namespace {
/// Changes the plan through the same checks as a plan from outside.
Result<void> change(Job& job, const std::function<void(Plan&)>& edit) {
  Plan plan = job.plan();
  edit(plan);
  return job.setPlan(std::move(plan));
}
}  // namespace

void Session::setEnabled(const std::string& id, bool on) {
  editPlan([id, on](Job& job) {
    return change(job, [&](Plan& plan) {
      if (auto* line = plan.find(id)) line->enabled = on;
    });
  });
}

void Session::setAction(const std::string& id, StepAction action) {
  editPlan([id, action](Job& job) {
    return change(job, [&](Plan& plan) {
      if (auto* line = plan.find(id)) line->action = action;
    });
  });
}

void Session::moveLine(const std::string& id, int by) {
  editPlan([id, by](Job& job) {
    return change(job, [&](Plan& plan) {
      const auto at =
          std::find_if(plan.lines.begin(), plan.lines.end(), [&](const auto& l) { return l.id == id; });
      if (at == plan.lines.end()) return;
      const auto to = (at - plan.lines.begin()) + by;
      if (to >= 0 && to < static_cast<std::ptrdiff_t>(plan.lines.size()))
        std::iter_swap(at, plan.lines.begin() + to);
    });
  });
}

void Session::mark(const std::string& id, std::optional<Mark> mark) {
  editPlan([id, mark](Job& job) -> Result<void> {
    const Find* find = job.find(id);
    if (find == nullptr || find->items.empty()) return {};
    const PathBytes path = find->items.front().path;
    return job.mark(path, mark);
  });
}

void Session::propose(std::optional<Regret> ceiling) {
  auto found = std::make_shared<std::optional<Proposal>>();
  post(
      Work::proposing,
      [ceiling, found](std::unique_ptr<Job>& job) -> Result<void> {
        if (!job) return {};
        ProposeOptions options;
        options.ceiling = ceiling;
        auto proposal = job->propose(options);
        if (!proposal) return tl::unexpected(proposal.error());
        *found = *proposal;
        return job->setPlan(proposal->plan);
      },
      [this, found] {
        view_.proposal = *found;
        Q_EMIT changed();
        Q_EMIT proposed();
      });
}

void Session::reclaim(const std::string& token) {
  stop_ = std::stop_source();
  auto report = std::make_shared<std::optional<RunReport>>();
  post(
      Work::running,
      [this, token, report, stop = stop_.get_token()](std::unique_ptr<Job>& job) -> Result<void> {
        if (!job) return {};
        auto done = job->reclaim(token, stop, [this, stop](const LineOutcome& outcome) {
          QMetaObject::invokeMethod(
              this, [this, outcome] { Q_EMIT lineProgressed(outcome); }, Qt::QueuedConnection);
          pause_.pass(stop);
        });
        if (!done) return tl::unexpected(done.error());
        *report = *done;
        return done->journalFailed ? Result<void>(tl::unexpected(done->journalFailure)) : Result<void>{};
      },
      [this, report] {
        view_.report = *report;
        Q_EMIT changed();
        Q_EMIT runEnded();
      });
}

void Session::undo() {
  stop_ = std::stop_source();
  post(Work::running, [stop = stop_.get_token()](std::unique_ptr<Job>& job) -> Result<void> {
    if (!job) return {};
    auto done = job->undo(0, stop);
    if (!done) return tl::unexpected(done.error());
    for (const auto& r : *done)
      if (r.state != ItemState::returned) return fail(r.problem, "put-back", r.path, r.detail);
    auto proof = job->prove();
    return proof ? Result<void>{} : Result<void>(tl::unexpected(proof.error()));
  });
}

void Session::release(const std::string& token) {
  stop_ = std::stop_source();
  post(Work::running, [token, stop = stop_.get_token()](std::unique_ptr<Job>& job) -> Result<void> {
    if (!job) return {};
    auto done = job->release(token, stop);
    if (!done) return tl::unexpected(done.error());
    for (const auto& r : *done)
      if (r.state != ItemState::gone) return fail(r.problem, "release", r.path, r.detail);
    auto proof = job->prove();
    return proof ? Result<void>{} : Result<void>(tl::unexpected(proof.error()));
  });
}

void Session::withReleaseConsent(std::function<void(Consent)> then) {
  auto consent = std::make_shared<Consent>();
  post(
      Work::editing,
      [consent](std::unique_ptr<Job>& job) -> Result<void> {
        if (!job) return {};
        auto needed = job->releaseConsent();
        if (!needed) return tl::unexpected(needed.error());
        *consent = *needed;
        return {};
      },
      [consent, then = std::move(then)] { then(*consent); });
}

void Session::prove() {
  post(Work::proving, [](std::unique_ptr<Job>& job) -> Result<void> {
    if (!job) return {};
    auto proof = job->prove();
    return proof ? Result<void>{} : Result<void>(tl::unexpected(proof.error()));
  });
}

}  // namespace zt::desktop
