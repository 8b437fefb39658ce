// SPDX-License-Identifier: GPL-3.0-or-later
// Hands that press and click whatever comes: as long as nobody consents, nothing on a drive changes. A
// hundred acts as a rule; ZT_SOAK says how many times that.
#include <sys/stat.h>

#include <QMenu>
#include <QTimer>
#include <filesystem>
#include <fstream>
#include <random>
#include <sstream>

#include "desktop/window_fixture.h"
#include "support/loop_drive.h"
#include "support/seed.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// Numbers by lot.
struct Lot {
  std::mt19937 engine;
  unsigned operator()() { return static_cast<unsigned>(engine()); }
};

/// All that is at and beneath a folder: names, kinds, rights, owners, times and contents.
std::map<std::string, std::string> everything(const std::string& folder) {
  std::map<std::string, std::string> all;
  const auto tell = [&](const std::string& path) {
    struct stat st {};
    if (::lstat(path.c_str(), &st) != 0) return;
    std::ostringstream facts;
    facts << st.st_mode << ' ' << st.st_uid << ' ' << st.st_nlink << ' ' << st.st_size << ' '
          << st.st_mtim.tv_sec << '.' << st.st_mtim.tv_nsec << ' ' << st.st_ctim.tv_sec << '.'
          << st.st_ctim.tv_nsec;
    constexpr off_t mostRead = 1 << 20;  // the stand-ins' giants are holes
    if (S_ISREG(st.st_mode) && st.st_size <= mostRead) {
      std::ifstream in(path, std::ios::binary);
      std::ostringstream content;
      content << in.rdbuf();
      facts << ' ' << std::hash<std::string>{}(content.str());
    }
    all.emplace(path, facts.str());
  };
  tell(folder);
  for (const auto& e : fs::recursive_directory_iterator(folder)) tell(e.path().string());
  return all;
}

/// Says whatever comes to mind.
class AnyPrompter final : public Prompter {
public:
  AnyPrompter(Lot& lot, QString folder) : lot_(lot), folder_(std::move(folder)) {}
  std::optional<QString> chooseFolder(QWidget*, const QString&) override { return perhaps(folder_); }
  std::optional<QString> chooseFile(QWidget*, const QString&, const QString&) override {
    return perhaps(folder_ + QStringLiteral("/export-%1").arg(lot_() % 4));
  }
  std::optional<QString> chooseNewFile(QWidget*, const QString&, const QString&) override {
    return perhaps(folder_ + QStringLiteral("/export-%1").arg(lot_() % 4));
  }
  std::optional<TargetAnswer> askTarget(QWidget*) override { return std::nullopt; }
  bool confirm(QWidget*, const QString&, const QString&, const QString&) override { return lot_() % 2 == 0; }
  std::optional<int> choose(QWidget*, const QString&, const QString&, const QStringList& ways) override {
    if (ways.isEmpty() || lot_() % 3 == 0) return std::nullopt;
    return static_cast<int>(lot_() % static_cast<unsigned>(ways.size()));
  }
  void tell(QWidget*, const QString&, const QString&) override {}

private:
  std::optional<QString> perhaps(const QString& path) {
    return lot_() % 2 == 0 ? std::optional(path) : std::nullopt;
  }
  Lot& lot_;
  QString folder_;
};

/// Presses and clicks so many times, also into menus and boxes that open meanwhile. Neither agrees to
/// a run nor starts one.
class Hands final : public QObject {
public:
  Hands(QWidget& window, Lot& lot, int acts) : window_(window), lot_(lot), left_(acts) {
    qApp->installEventFilter(this);
    next();
  }
  bool done() const { return left_ <= 0; }

  bool eventFilter(QObject* to, QEvent* event) override {
    const bool acting = event->type() == QEvent::MouseButtonPress ||
                        event->type() == QEvent::MouseButtonRelease ||
                        event->type() == QEvent::MouseButtonDblClick || event->type() == QEvent::KeyPress ||
                        event->type() == QEvent::KeyRelease;
    const QString name = to->objectName();
    return acting && (name.startsWith(QLatin1String("agree-")) || name == QLatin1String("startRun"));
  }

private:
  void next() {
    QTimer::singleShot(2, this, [this] { act(); });
  }
  void act() {
    next();  // first: what is opened now may wait here until it is closed
    QWidget* top = QApplication::activePopupWidget();
    if (top == nullptr) top = QApplication::activeModalWidget();
    if (done()) {  // what the last act opened waits for somebody to close it
      if (top != nullptr) top->close();
      return;
    }
    --left_;
    if (top == nullptr) {
      top = &window_;
      if (!window_.isVisible()) window_.show();
    }
    const bool stuck = ++inOther_ > 40;
    if (top == &window_) inOther_ = 0;
    if (stuck && top != &window_) {
      top->close();
      return;
    }
    lot_() % 3 != 0 ? press(*top) : click(*top);
  }
  void press(QWidget& top) {
    static constexpr Qt::Key plain[] = {Qt::Key_Tab,      Qt::Key_Backtab, Qt::Key_Space,     Qt::Key_Return,
                                        Qt::Key_Escape,   Qt::Key_Up,      Qt::Key_Down,      Qt::Key_Left,
                                        Qt::Key_Right,    Qt::Key_Home,    Qt::Key_End,       Qt::Key_PageUp,
                                        Qt::Key_PageDown, Qt::Key_Delete,  Qt::Key_Backspace, Qt::Key_F1,
                                        Qt::Key_F2,       Qt::Key_F5,      Qt::Key_Slash,     Qt::Key_Menu};
    QWidget* to = QApplication::focusWidget();
    if (to == nullptr || !top.isAncestorOf(to)) to = &top;
    const unsigned kind = lot_() % 10;
    if (kind < 5) {
      QTest::keyClick(to, plain[lot_() % std::size(plain)],
                      lot_() % 8 == 0 ? Qt::ShiftModifier : Qt::NoModifier);
    } else if (kind < 8) {
      QTest::keyClick(to, static_cast<Qt::Key>(Qt::Key_A + lot_() % 26));
    } else if (kind < 9) {
      QTest::keyClick(to, static_cast<Qt::Key>(Qt::Key_0 + lot_() % 10), Qt::ControlModifier);
    } else {
      auto key = static_cast<Qt::Key>(Qt::Key_A + lot_() % 26);
      if (key != Qt::Key_Q) QTest::keyClick(to, key, Qt::ControlModifier);
    }
  }
  void click(QWidget& top) {
    QList<QWidget*> seen{&top};
    for (QWidget* w : top.findChildren<QWidget*>())
      if (w->isVisible() && w->width() > 2 && w->height() > 2) seen.append(w);
    QWidget* to = seen[static_cast<qsizetype>(lot_() % static_cast<unsigned>(seen.size()))];
    const QPoint at(static_cast<int>(lot_() % static_cast<unsigned>(std::max(1, to->width()))),
                    static_cast<int>(lot_() % static_cast<unsigned>(std::max(1, to->height()))));
    switch (lot_() % 6) {
      case 0:
        QTest::mouseClick(to, Qt::RightButton, {}, at);
        break;
      case 1:
        QTest::mouseDClick(to, Qt::LeftButton, {}, at);
        break;
      default:
        QTest::mouseClick(to, Qt::LeftButton, lot_() % 8 == 0 ? Qt::ControlModifier : Qt::NoModifier, at);
    }
  }

  QWidget& window_;
  Lot& lot_;
  int left_;
  int inOther_ = 0;
};

/// No drives but one: hands that may go anywhere would measure this machine.
class OnlyOneMount final : public MountTable {
public:
  OnlyOneMount(std::shared_ptr<MountTable> all, PathBytes target)
      : all_(std::move(all)), target_(std::move(target)) {}
  Result<std::vector<Mount>> mounts() override {
    auto mounts = all_->mounts();
    if (mounts) std::erase_if(*mounts, [&](const Mount& m) { return m.target != target_; });
    return mounts;
  }
  DeviceFacts facts(const Mount& mount) override { return all_->facts(mount); }

private:
  std::shared_ptr<MountTable> all_;
  PathBytes target_;
};

class RandomHands : public ::testing::TestWithParam<const char*> {
protected:
  /// Works a window that shows `place` alone, and looks whether anything in `content` is not as it was.
  void work(Workshop workshop, const std::string& place, const std::string& content, bool standIn) {
    Lot lot{std::mt19937(drawSeed())};
    const TempFolder exports;
    const auto before = everything(content);
    ASSERT_GT(before.size(), 10u);
    AnyPrompter prompter(lot, QString::fromStdString(exports.path()));
    const char* soak = std::getenv("ZT_SOAK");
    const int acts = 100 * (soak == nullptr ? 1 : std::max(1, std::atoi(soak)));
    {
      desktop::MainWindow window(workshop, prompter);
      window.show();
      window.resize(1280, 800);
      ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
      if (standIn) window.openStandIn(QString::fromStdString(place));
      auto* shelf = window.findChild<desktop::DriveShelf*>(QStringLiteral("shelf"));
      ASSERT_TRUE(QTest::qWaitFor([&] { return shelf->chosen() >= 0; }, 20'000));
      QTest::keyClick(shelf, Qt::Key_Return);
      ASSERT_TRUE(QTest::qWaitFor([&] { return window.session().view().survey != nullptr; }, 60'000));
      Hands hands(window, lot, acts);
      ASSERT_TRUE(QTest::qWaitFor([&] { return hands.done(); }, 120'000 + 1000 * acts));
      (void)QTest::qWaitFor([&] { return window.session().work() == desktop::Session::Work::none; }, 60'000);
    }
    const auto after = everything(content);
    for (const auto& [path, facts] : before) {
      const auto now = after.find(path);
      if (now == after.end())
        ADD_FAILURE() << path << " is gone";
      else
        EXPECT_EQ(now->second, facts) << path;
    }
    for (const auto& [path, facts] : after) EXPECT_TRUE(before.contains(path)) << path << " came";
  }
};

TEST_P(RandomHands, ChangeNothingOnAStandInWithoutConsent) {
  const TempFolder t;
  Workshop real = realWorkshop();
  ASSERT_TRUE(zt::demo::build(t / "si", real.clock->now(), GetParam()));
  real.mounts = std::make_shared<OnlyOneMount>(real.mounts, "/nowhere");
  work(real, t / "si", t / "si/drive", true);
}
INSTANTIATE_TEST_SUITE_P(Drives, RandomHands, ::testing::Values("office", "ferry", "studio"),
                         [](const auto& one) { return std::string(one.param); });

class RandomHandsOnADrive : public RandomHands {};
TEST_P(RandomHandsOnADrive, ChangeNothingWithoutConsent) {
  LoopDrive drive(GetParam(), Bytes{96} << 20);
  ZT_NEEDS(drive);
  for (const char* path :
       {"etc/os-release", "var/lib/dpkg/status", "usr/bin/sh", "home/kim/letters/one.odt",
        "home/kim/.cache/pip/http/a/b/c", "home/kim/.local/share/Trash/files/old.iso",
        "home/kim/project/target/debug/deps/x.o", "tmp/x", "var/log/syslog.2.gz",
        "home/kim/Downloads/setup.deb", "home/kim/copy/one.odt", "home/kim/Pictures/2019/a.jpg"}) {
    fs::create_directories(fs::path(drive / path).parent_path());
    std::ofstream(drive / path, std::ios::binary) << std::string(70'000, 'x') << path;
  }
  Workshop real = realWorkshop();
  real.mounts = std::make_shared<OnlyOneMount>(real.mounts, drive.path());
  work(real, drive.path(), drive.path(), false);
}
INSTANTIATE_TEST_SUITE_P(Loop, RandomHandsOnADrive, ::testing::Values("ext4"),
                         [](const auto& one) { return std::string(one.param); });

}  // namespace
}  // namespace zt::test
