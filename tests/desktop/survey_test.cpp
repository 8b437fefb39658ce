// SPDX-License-Identifier: GPL-3.0-or-later
// The survey station: watching a survey grow, asking it, looking inside, keeping and exchanging it.
#include <sys/stat.h>
#include <QAbstractItemModelTester>
#include <QDialog>
#include <QHeaderView>
#include <QPlainTextEdit>
#include <filesystem>

#include "core/os/forwarding_file_system.h"
#include "core/survey/tree/tree_builder.h"
#include "desktop/stations/survey/list_face.h"
#include "desktop/window_fixture.h"
#include "support/planned.h"

namespace zt::test {
namespace {

class SurveyWindow : public WindowTest {
protected:
  SurveyStation* survey() { return window->findChild<SurveyStation*>(); }
  QTableView* list() { return find<QTableView>("entryList"); }
  QTreeView* tree() { return find<QTreeView>("folders"); }
  void ask(const QString& line) {
    auto* filter = find<QLineEdit>("surveyFilter");
    filter->setFocus();
    filter->selectAll();
    QTest::keyClicks(filter, line);
    window->activateWindow();  // a list of completions may have taken that
    EXPECT_TRUE(QTest::qWaitForWindowActive(window.get()));
  }
  /// Asks for a name until it alone is listed.
  void askFor(const char* name) {
    ask(QString::fromLatin1(name));
    EXPECT_TRUE(waitFor([&] {
      const auto* model = list()->model();
      return model->rowCount() == 1 && model->index(0, 0).data().toString().startsWith(QLatin1String(name));
    })) << name;
  }
  ::testing::AssertionResult finds(const QString& line, int rows) {
    ask(line);
    if (waitFor([&] {
          return survey()->faceShown() == SurveyStation::listFace && list()->model()->rowCount() == rows;
        }))
      return ::testing::AssertionSuccess();
    return ::testing::AssertionFailure() << list()->model()->rowCount() << " rows";
  }
};

TEST_F(SurveyWindow, AnswersTheFilterLineAndGoesBackToTheFolders) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  ASSERT_TRUE(finds(QStringLiteral("report-final.odt"), 3));
  EXPECT_TRUE(waitFor([&] { return text("listNote").contains(QStringLiteral("3 found")); }));
  ask(QStringLiteral("over nonsense"));
  EXPECT_TRUE(text("surveyFilterEcho").contains(QStringLiteral("over nonsense")));
  ask(QStringLiteral("video, over 100 MB, files"));
  ASSERT_TRUE(waitFor([&] { return list()->model()->rowCount() > 3; }));
  const auto* model = window->findChild<EntryListModel*>();
  const NodeId largest = model->nodeAt(0);
  for (int row = 1; row < model->rowCount(); ++row) {
    const NodeId node = model->nodeAt(row);
    EXPECT_GE(session().view().survey->tree.weight(largest), session().view().survey->tree.weight(node));
  }
  find<QLineEdit>("surveyFilter")->clear();
  EXPECT_EQ(survey()->faceShown(), SurveyStation::foldersFace);
}

TEST_F(SurveyWindow, SortsTheListByItsHeadings) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  ask(QStringLiteral("*.odt"));
  ASSERT_TRUE(waitFor([&] { return list()->model()->rowCount() > 2; }));
  auto* heads = list()->horizontalHeader();
  const int name = static_cast<int>(ListColumn::name);
  QTest::mouseClick(heads->viewport(), Qt::LeftButton, {},
                    QPoint(heads->sectionViewportPosition(name) + 20, 8));
  const auto first = [&] { return list()->model()->index(0, 0).data().toString(); };
  ASSERT_TRUE(waitFor([&] { return heads->sortIndicatorSection() == name; }));
  ASSERT_TRUE(waitFor([&] {
    QStringList names;
    for (int row = 0; row < list()->model()->rowCount(); ++row)
      names.append(list()->model()->index(row, 0).data().toString().section(QStringLiteral("   "), 0, 0));
    return std::is_sorted(names.begin(), names.end()) || std::is_sorted(names.rbegin(), names.rend());
  })) << first().toStdString();
}

TEST_F(SurveyWindow, RibbonsGiveWayToNamesInANarrowWindow) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  const auto ribbons = [&] { return tree()->columnWidth(FolderModel::madeOfColumn); };
  window->resize(1280, 800);
  EXPECT_TRUE(waitFor([&] { return ribbons() > 220; })) << ribbons();
  window->resize(1024, 700);
  EXPECT_TRUE(waitFor([&] { return ribbons() < 120; })) << ribbons();
  EXPECT_TRUE(waitFor([&] { return tree()->columnWidth(FolderModel::nameColumn) > 120; }));
}

TEST_F(SurveyWindow, SumsSeveralPicks) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  ASSERT_TRUE(finds(QStringLiteral("report-final.odt"), 3));
  key(list(), Qt::Key_A, Qt::ControlModifier);
  EXPECT_TRUE(waitFor([&] { return text("listNote").contains(QStringLiteral("3 picked")); }));
  survey()->showFace(SurveyStation::foldersFace);
  tree()->expand(tree()->model()->index(0, 0));
  const QModelIndex root = tree()->model()->index(0, 0);
  chooseRow(tree(), root);
  key(tree(), Qt::Key_Down);
  key(tree(), Qt::Key_Down, Qt::ShiftModifier);
  EXPECT_TRUE(waitFor([&] { return text("folderNote").contains(QStringLiteral("2 picked")); }))
      << text("folderNote").toStdString();
  key(tree(), Qt::Key_Up);
  EXPECT_FALSE(text("folderNote").contains(QStringLiteral("picked"))) << "one is told of by itself";
}

TEST_F(SurveyWindow, LooksInsideWithoutChangingTheAccessTime) {
  TempFolder t;
  t.file("place/notes.txt", "first line\nsecond line\n");
  t.file("place/raw", std::string("\x00\x01\xff", 3));
  t.age("place/notes.txt", 30);
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "place"));
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  station(2);
  struct stat before {};
  must(::stat((t / "place/notes.txt").c_str(), &before) == 0, "stat");
  const auto look = [&](const char* name) {
    askFor(name);
    key(find<QLineEdit>("surveyFilter"), Qt::Key_Return);
    chooseRow(list(), list()->model()->index(0, 0));
    key(list(), Qt::Key_L);
    const auto open = [&] { return window->findChild<QDialog*>(QStringLiteral("lookInside")) != nullptr; };
    if (!QTest::qWaitFor(open, 5000)) return text("failure") + QStringLiteral(" (no window)");
    auto* dialog = window->findChild<QDialog*>(QStringLiteral("lookInside"));
    const QString shown = dialog->findChild<QPlainTextEdit*>(QStringLiteral("lookText"))->toPlainText();
    delete dialog;
    window->activateWindow();
    EXPECT_TRUE(QTest::qWaitForWindowActive(window.get()));
    return shown;
  };
  EXPECT_EQ(look("notes.txt").toStdString(), "first line\nsecond line\n");
  EXPECT_TRUE(look("raw").contains(QStringLiteral("00 01 ff")));
  struct stat after {};
  must(::stat((t / "place/notes.txt").c_str(), &after) == 0, "stat");
  EXPECT_EQ(before.st_atim.tv_sec, after.st_atim.tv_sec);
  t.file("place/notes.txt", "changed since");
  askFor("notes.txt");
  key(find<QLineEdit>("surveyFilter"), Qt::Key_Return);
  chooseRow(list(), list()->model()->index(0, 0));
  key(list(), Qt::Key_L);
  EXPECT_TRUE(waitFor([&] { return find<QLabel>("failure")->isVisible(); })) << "it is not what was measured";
}

TEST_F(SurveyWindow, MeasuresOneFolderAgain) {
  TempFolder t;
  t.file("place/a/one", std::string(100'000, 'x'));
  t.file("place/b/two", "2");
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "place"));
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  station(2);
  t.file("place/a/three", std::string(300'000, 'x'));
  const SurveyPtr before = session().view().survey;
  const QModelIndex root = tree()->model()->index(0, 0);
  chooseRow(tree(), tree()->model()->index(0, 0, root));
  ASSERT_EQ(survey()->currentPath(), "a");
  key(window.get(), Qt::Key_M, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return session().view().survey != before; }));
  EXPECT_TRUE(session().view().survey->tree.find("a/three"));
  EXPECT_EQ(survey()->currentPath(), "a") << "the cursor stays";
}

/// Waits in a folder until it is let through, so that a survey can be watched half done.
class Gated final : public ForwardingFileSystem {
public:
  using ForwardingFileSystem::ForwardingFileSystem;
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    if (name == "later") {
      std::unique_lock lock(mutex);
      changed.wait(lock, [&] { return open; });
    }
    return inner_.openFolder(at, name);
  }
  void letThrough() {
    const std::scoped_lock lock(mutex);
    open = true;
    changed.notify_all();
  }
  std::mutex mutex;
  std::condition_variable changed;
  bool open = false;
};

TEST_F(SurveyWindow, ShowsWhatIsCountedWhileItGrows) {
  TempFolder t;
  t.file("place/early/file", std::string(400'000, 'x'));
  t.file("place/later/file", "x");
  const auto gate = std::make_shared<Gated>(real.files);
  Gated& gated = *gate;
  Workshop ports = real;
  ports.files = gate;
  window = std::make_unique<MainWindow>(ports, prompter);
  window->show();
  window->goTo(surveyStation);
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "place"));
  ASSERT_TRUE(waitFor([&] {
    return session().live() != nullptr && tree()->model()->rowCount(tree()->model()->index(0, 0)) == 2;
  }));
  const QModelIndex early = tree()->model()->index(0, 0, tree()->model()->index(0, 0));
  EXPECT_EQ(early.data().toString(), QStringLiteral("early"));
  ASSERT_TRUE(waitFor([&] { return session().live()->occupied(0) >= 400'000; }));
  EXPECT_TRUE(waitFor([&] {
    return early.siblingAtColumn(FolderModel::occupiedColumn)
        .data()
        .toString()
        .startsWith(QStringLiteral("4"));
  }));
  chooseRow(tree(), early);
  key(tree(), Qt::Key_Right);
  EXPECT_EQ(tree()->model()->rowCount(early), 1) << "what is listed already opens";
  EXPECT_FALSE(find<QLineEdit>("surveyFilter")->isEnabled());
  key(window.get(), Qt::Key_B, Qt::ControlModifier);
  EXPECT_TRUE(session().pauseGate()->paused());
  key(window.get(), Qt::Key_B, Qt::ControlModifier);
  EXPECT_FALSE(session().pauseGate()->paused());
  gated.letThrough();
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().live(), nullptr);
  EXPECT_EQ(session().view().survey->tree.totals(0).files, 2u);
  window.reset();  // before the ports that it uses
}

TEST_F(SurveyWindow, ExportsAndImports) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  prompter.newFiles = {QString::fromStdString(t / "out.jsonl.zst")};
  window->findChild<QAction*>(QStringLiteral("actExport"))->trigger();
  ASSERT_TRUE(waitFor([&] { return !prompter.told.isEmpty(); }));
  EXPECT_TRUE(prompter.told[0].contains(QStringLiteral("out.jsonl.zst")));
  const auto entries = session().view().survey->tree.entries();
  prompter.files = {QString::fromStdString(t / "out.jsonl.zst")};
  window->findChild<QAction*>(QStringLiteral("actImport"))->trigger();
  ASSERT_TRUE(waitFor([&] { return session().view().imported(); }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().survey->tree.entries(), entries);
  EXPECT_TRUE(survey()->figure().contains(QStringLiteral("imported")));
  ASSERT_TRUE(finds(QStringLiteral("report-final.odt"), 3));
  key(find<QLineEdit>("surveyFilter"), Qt::Key_Return);
  chooseRow(list(), list()->model()->index(0, 0));
  key(list(), Qt::Key_P);
  EXPECT_TRUE(waitFor([&] { return find<QLabel>("failure")->isVisible(); })) << "explored, not reclaimed by";
  EXPECT_TRUE(session().view().plan.lines.empty());
  t.file("bad.csv", "not ours");
  window->openPlace(QString::fromStdString(t / "bad.csv"));
  ASSERT_TRUE(idle());
  EXPECT_TRUE(session().view().imported()) << "what was open stays";
}

TEST_F(SurveyWindow, SaysHowTheStatementWasObtained) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  click("sources");
  ASSERT_EQ(prompter.told.size(), 1);
  EXPECT_TRUE(prompter.told[0].contains(QStringLiteral("every entry asked")));
  EXPECT_TRUE(prompter.told[0].contains(QStringLiteral("as the stand-in declares")));
}

/// Rights that are worth asking for, and refused.
class Refusing final : public Privileged {
public:
  bool worthAsking() override { return true; }
  Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) override {
    ++started;
    return fail(Errc::notPermitted, "helper", root);
  }
  std::atomic<int> started = 0;
};

TEST_F(SurveyWindow, AsksForRightsOnceAndGoesOnWithoutThem) {
  TempFolder t;
  t.file("place/file", "x");
  const auto asked = std::make_shared<Refusing>();
  Refusing& rights = *asked;
  Workshop ports = real;
  ports.privileged = asked;
  window = std::make_unique<MainWindow>(ports, prompter);
  window->show();
  prompter.yesToAll = true;
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "place"));
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(rights.started, 1);
  ASSERT_TRUE(session().view().rightsProblem.has_value());
  survey()->explainStatement();
  EXPECT_TRUE(prompter.told[0].contains(QStringLiteral("without the rights")));
  key(window.get(), Qt::Key_M, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return rights.started == 2; })) << "not asked again, but tried again";
  ASSERT_TRUE(idle());
  window.reset();
}

TEST(FolderModelTest, ShowsTheLargestOfAVeryWideFolderAndARowForTheRest) {
  auto survey = std::make_shared<Survey>();
  TreeBuilder builder;
  EntryStat folder;
  folder.kind = EntryKind::folder;
  must(builder.add(0, {}, folder).has_value(), "root");
  EntryStat file;
  file.kind = EntryKind::file;
  for (NodeId i = 0; i < 5000; ++i) {
    file.length = file.occupied = Bytes{i} * 512;
    must(builder.add(0, "f" + std::to_string(i), file).has_value(), "file");
  }
  must(builder.build(survey->tree).has_value(), "build");
  const ContextPtr context = contextOf(survey);
  FolderModel model;
  QAbstractItemModelTester tester(&model, QAbstractItemModelTester::FailureReportingMode::Fatal);
  model.show(survey, context, std::make_shared<Composition>(context));
  const QModelIndex root = model.index(0, 0);
  ASSERT_EQ(model.rowCount(root), outlineRows + 1);
  EXPECT_EQ(model.index(0, 0, root).data().toString(), QStringLiteral("f4999"));
  const QModelIndex rest = model.index(outlineRows, 0, root);
  EXPECT_TRUE(model.isRest(rest));
  EXPECT_TRUE(rest.data().toString().contains(QLocale().toString(3000)));
  EXPECT_EQ(model.indexOf(*survey->tree.find("f10")), rest) << "what is not shown is in the rest";
  model.sort(FolderModel::nameColumn, Qt::AscendingOrder);
  EXPECT_EQ(model.index(0, 0, root).data().toString(), QStringLiteral("f3000"));
  EXPECT_TRUE(model.isRest(model.index(outlineRows, 0, root))) << "the rest stays last";
}

TEST(EntryListModelTest, HoldsUnderTheModelChecker) {
  auto survey = std::make_shared<Survey>();
  TreeBuilder builder;
  EntryStat stat;
  stat.kind = EntryKind::folder;
  must(builder.add(0, {}, stat).has_value(), "root");
  stat.kind = EntryKind::file;
  for (int i = 0; i < 1000; ++i) {
    stat.length = stat.occupied = static_cast<Bytes>(i) * 7;
    must(builder.add(0, "n" + std::to_string(i), stat).has_value(), "file");
  }
  must(builder.build(survey->tree).has_value(), "build");
  const ContextPtr context = contextOf(survey);
  EntryListModel model;
  QAbstractItemModelTester tester(&model, QAbstractItemModelTester::FailureReportingMode::Fatal);
  ListEngine engine;
  QObject::connect(&engine, &ListEngine::answered, &model, [&](const auto& answer) { model.show(answer); });
  ListEngine::Request question;
  question.context = context;
  engine.ask(question);
  question.question = parseQuestion("n9", {}).value();
  engine.ask(question);  // the first one is given up
  ASSERT_TRUE(QTest::qWaitFor([&] { return model.answer() != nullptr && !engine.busy(); }, 10'000));
  EXPECT_EQ(model.rowCount(), 111);
  EXPECT_EQ(model.index(0, 0).data().toString(), QStringLiteral("n999"));
  question.question = {};
  engine.ask(question);
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return model.rowCount() == 1000 && model.answer()->inOrder == 1000; }, 10'000));
  for (int row = 0; row < 1000; ++row) EXPECT_EQ(model.nodeAt(row), 1000u - static_cast<NodeId>(row));
}

}  // namespace
}  // namespace zt::test
