// SPDX-License-Identifier: GPL-3.0-or-later
// The painted widgets by themselves: with nothing to show, with odd figures, and by keyboard.
#include <gtest/gtest.h>
#include <QPainter>
#include <QStandardItemModel>

#include <QSignalSpy>
#include <QTest>

#include "desktop/charts/age_size_grid.h"
#include "desktop/charts/drive_shelf.h"
#include "desktop/charts/level_gauge.h"
#include "desktop/charts/proof_columns.h"
#include "desktop/charts/staircase.h"
#include "desktop/charts/time_line.h"
#include "desktop/frame/balance_bar.h"
#include "desktop/frame/station_strip.h"
#include "desktop/models/ledger_delegate.h"
#include "desktop/stations/survey/statement_page.h"

namespace zt::test {
namespace {

using namespace zt::desktop;

DrivePicture openView(Bytes capacity, Bytes free) {
  DrivePicture v;
  v.shown = true;
  v.drive.label = "a drive with a name that is much longer than any column is wide";
  v.drive.usage.capacity = capacity;
  v.drive.usage.available = v.drive.usage.free = free;
  v.free = free;
  return v;
}

void paintsAnything(Chart& chart) {
  for (const QSize size : {QSize(1, 1), QSize(30, 900), QSize(900, 30), QSize(800, 600)}) {
    chart.resize(size);
    EXPECT_FALSE(chart.grab().isNull());
  }
}

template <class T>
void paintsAnything(T& chart, const auto& shown) {
  chart.show(shown);
  paintsAnything(chart);
}

TEST(Charts, TheBalanceTellsEachTarget) {
  DrivePicture view = openView(50'000'000'000, 9'000'000'000);
  view.targets.clear();
  for (const auto& [label, bytes] :
       {std::pair("upgrade", 22'000'000'000), std::pair("house", 8'000'000'000)}) {
    Target t;
    t.label = label;
    t.bytes = static_cast<Bytes>(bytes);
    t.chosen = true;
    view.targets.push_back(t);
  }
  BalanceBar balance;
  balance.show(view);
  for (const char* label : {"upgrade", "house"})
    EXPECT_TRUE(balance.toolTip().contains(QLatin1String(label))) << balance.toolTip().toStdString();
  EXPECT_TRUE(balance.toolTip().contains(QStringLiteral("1.0 GB to spare")))
      << balance.toolTip().toStdString();
}

TEST(Charts, BearNothingAndExtremes) {
  LevelGauge level;
  AgeSizeGrid grid;
  Staircase stairs;
  ProofColumns proof;
  BalanceBar balance;
  StatementPage statement;
  for (const DrivePicture& view :
       {DrivePicture{}, openView(0, 0), openView(1, 0), openView(~Bytes{0} >> 1, 5), openView(100, 1000)}) {
    paintsAnything(level, view);
    paintsAnything(balance, view);
    stairs.show(view, {}, {});
    paintsAnything(stairs);
    for (const auto& shown : {std::optional<Proof>{}, std::optional<Proof>{Proof{}}}) {
      proof.show(view, shown);
      paintsAnything(proof);
    }
  }
  paintsAnything(statement, SurveyPtr());
  TimeLine times;
  for (const TimeNs at : {INT64_MIN, TimeNs{0}, INT64_MAX}) {
    times.show(at, at, TimeNs{1'800'000'000} * nsPerSecond);
    paintsAnything(times);
  }
  FieldCells cells{};
  paintsAnything(grid, cells);
  cells[0][0] = {~Bytes{0} >> 1, ~0u, {}};
  cells[6][6] = {1, 1, {1}};
  paintsAnything(grid, cells);
}

/// A cell shows what eliding the whole text would show, however long it is; halves of letters are not parted.
TEST(LedgerDelegate, ShowsBothEndsOfAnyText) {
  QStandardItemModel model(1, 1);
  const LedgerDelegate delegate;
  QStyleOptionViewItem option;
  option.textElideMode = Qt::ElideMiddle;
  option.palette.setColor(QPalette::Text, Qt::black);
  const auto blank = [&] {
    QImage image(option.rect.size(), QImage::Format_RGB32);
    image.fill(Qt::white);
    return image;
  };
  for (const int width : {20, 90, 333, 900})
    for (const qsizetype length : {0, 3, 60, 400, 5000})
      for (const bool pairs : {false, true}) {
        QString text;
        for (qsizetype i = 0; text.size() < length; ++i)
          text += pairs ? QStringLiteral("\U0001F426")
                        : QString(QLatin1Char(static_cast<char>('a' + (i * 7) % 26)));
        option.rect = QRect(0, 0, width, 26);
        model.setData(model.index(0, 0), text);
        QImage shown = blank();
        QPainter painter(&shown);
        delegate.paint(&painter, option, model.index(0, 0));
        painter.end();
        QImage expected = blank();
        painter.begin(&expected);
        painter.setFont(option.font);
        painter.setPen(Qt::black);
        const QRect room = option.rect.adjusted(8, 0, -8, 0);
        painter.drawText(room, Qt::AlignLeft | Qt::AlignVCenter | Qt::TextSingleLine,
                         QFontMetrics(option.font).elidedText(text, Qt::ElideMiddle, room.width()));
        painter.end();
        EXPECT_EQ(shown, expected) << width << " " << length << " " << pairs;
      }
}

TEST(BlocksOf, AddUpToTheCapacity) {
  for (const Bytes accounted : {Bytes{0}, Bytes{10}, Bytes{5000}}) {
    Bytes sum = 0;
    for (const Block& b : blocksOf(openView(1000, 300), accounted)) sum += b.bytes;
    EXPECT_EQ(sum, 1000u) << accounted;
  }
}

TEST(BlocksOf, HaveWhatSnapshotsHoldByItself) {
  DrivePicture picture = openView(1000, 300);
  picture.measured = true;
  picture.strata[0] = 400;
  picture.points = 250;
  picture.plannedPoints = 100;
  Bytes sum = 0, points = 0, elsewhere = 0;
  Bytes planned = 0;
  for (const Block& b : blocksOf(picture, 0)) {
    sum += b.bytes;
    if (b.stratum == Stratum::points) points = b.bytes, planned = b.planned;
    if (b.stratum == Stratum::notInFiles) elsewhere = b.bytes;
  }
  EXPECT_EQ(planned, 100u);
  EXPECT_EQ(sum, 1000u);
  EXPECT_EQ(points, 250u);
  EXPECT_EQ(elsewhere, 50u);
  picture.points = 10'000;  // what was let go since is not there any more
  sum = 0;
  for (const Block& b : blocksOf(picture, 0)) sum += b.bytes;
  EXPECT_EQ(sum, 1000u);
}

TEST(BlocksOf, ShrinkTheOpenHatchWhileMeasuring) {
  const auto hatch = [](Bytes accounted) {
    for (const Block& b : blocksOf(openView(1000, 300), accounted))
      if (b.stratum == Stratum::unknown) return b.bytes;
    return Bytes{0};
  };
  EXPECT_EQ(hatch(0), 700u);
  EXPECT_EQ(hatch(200), 500u);
  EXPECT_EQ(hatch(9000), 0u);
}

TEST(DriveShelf, WalksAlongByArrows) {
  DriveShelf shelf;
  shelf.resize(700, 300);
  QList<ShelfDrive> drives(5);
  for (qsizetype i = 0; i < drives.size(); ++i) drives[i].drive.label = "d" + std::to_string(i);
  shelf.show(drives, 1);
  QSignalSpy chosen(&shelf, &DriveShelf::choose);
  QSignalSpy activated(&shelf, &DriveShelf::activated);
  QTest::keyClick(&shelf, Qt::Key_Right);
  QTest::keyClick(&shelf, Qt::Key_Left);
  QTest::keyClick(&shelf, Qt::Key_Return);
  ASSERT_EQ(chosen.size(), 2);
  EXPECT_EQ(chosen[0][0].toInt(), 2);
  EXPECT_EQ(chosen[1][0].toInt(), 0);
  EXPECT_EQ(activated[0][0].toInt(), 1);
  shelf.show(drives, 4);
  QTest::keyClick(&shelf, Qt::Key_Right);
  EXPECT_EQ(chosen.size(), 2) << "there is nothing beyond the last";
  QTest::mouseClick(&shelf, Qt::LeftButton, {}, QPoint(20, 100));
  EXPECT_EQ(chosen.last()[0].toInt(), 3) << "the shelf has moved along";
}

TEST(StationStrip, TellsWhichStationWasClicked) {
  StationStrip strip;
  strip.resize(1048, 92);
  QList<StationStrip::Item> items(6);
  strip.show(items, 0);
  QSignalSpy chosen(&strip, &StationStrip::chosen);
  QTest::mouseClick(&strip, Qt::LeftButton, {}, QPoint(36 + 166 * 2, 40));
  ASSERT_EQ(chosen.size(), 1);
  EXPECT_EQ(chosen[0][0].toInt(), 2);
  QTest::mouseClick(&strip, Qt::LeftButton, {}, QPoint(4, 40));
  QTest::keyClick(&strip, Qt::Key_Left);
  EXPECT_EQ(chosen.size(), 1);
  for (const double share : {-1.0, 0.0, 0.5, 1.0, 2.0}) {
    strip.setProgress(share, QStringLiteral("measuring"));
    EXPECT_FALSE(strip.grab().isNull());
  }
}

TEST(BalanceBar, SaysSpareAndShort) {
  BalanceBar bar;
  DrivePicture v = openView(100'000'000'000, 10'000'000'000);
  v.targets = {{TargetOrigin::task, "films", "20GB", 20'000'000'000, true, false},
               {TargetOrigin::task, "", "5GB", 5'000'000'000, true, false},
               {TargetOrigin::tenPercent, "", "10%", 90'000'000'000, false, false}};
  bar.show(v);
  EXPECT_EQ(bar.tableTwin(), QStringLiteral("free 10.0 GB + planned 0 B − target 20.0 GB = 10.0 GB short"));
  v.planned = {14'000'000'000, 16'000'000'000};
  bar.show(v);
  EXPECT_EQ(bar.tableTwin(),
            QStringLiteral("free 10.0 GB + planned 14.0 GB − target 20.0 GB = 4.0 GB to spare"));
  v.targets.clear();
  bar.show(v);
  EXPECT_EQ(bar.tableTwin(), QStringLiteral("free 10.0 GB + planned 14.0 GB"));
}

TEST(AgeSizeGrid, PutsSizesIntoTheirBands) {
  EXPECT_EQ(sizeBand(0), 0);
  EXPECT_EQ(sizeBand(64'000), 1);
  EXPECT_EQ(sizeBand(999'999'999), 4);
  EXPECT_EQ(sizeBand(4'000'000'000), 6);
  EXPECT_EQ(AgeSizeGrid::sizeName(0), QStringLiteral("< 64 kB"));
  EXPECT_EQ(AgeSizeGrid::sizeName(6), QStringLiteral("bigger"));
}

TEST(Staircase, GathersWhatIsTooMuchToRead) {
  Staircase stairs;
  DrivePicture v = openView(1'000'000, 1000);
  Plan plan;
  std::vector<GainBounds> adds;
  const StepPtr discard = builtInCraft()->steps.find("discard");
  for (int i = 0; i < 40; ++i) {
    PlanLine line;
    line.id = std::to_string(i);
    line.step = discard;
    line.items.emplace_back();
    line.items[0].path = "f" + line.id;
    plan.lines.push_back(line);
    adds.push_back({static_cast<Bytes>(100 + i), static_cast<Bytes>(200 + i)});
  }
  Bytes sum = 0;
  for (const GainBounds& g : adds) sum += g.sure;
  v.planned.sure = sum;
  stairs.show(v, plan, adds);
  EXPECT_LE(stairs.tableTwin().count(QLatin1Char('\n')), 10);
  EXPECT_TRUE(stairs.tableTwin().contains(QStringLiteral("smaller")));
  EXPECT_TRUE(stairs.tableTwin().contains(QString::number(1000 + sum).insert(1, QLatin1Char(','))))
      << stairs.tableTwin().toStdString();
}

/// A reserve that is used up swallows the first of what comes free: the steps end where the sum ends.
TEST(Staircase, ClimbsByWhatReachesTheCounter) {
  Staircase stairs;
  DrivePicture v = openView(1'000'000, 0);
  v.planned.sure = 500;
  v.planned.refills = 2500;
  Plan plan;
  for (const char* name : {"first", "second"}) {
    plan.lines.emplace_back();
    plan.lines.back().step = builtInCraft()->steps.find("discard");
    plan.lines.back().items.emplace_back();
    plan.lines.back().items[0].path = name;
  }
  stairs.show(v, plan, {{1000, 1000}, {2000, 2000}});
  EXPECT_EQ(stairs.tableTwin(),
            QStringLiteral("step\tadds\tfree after it\nfirst\t0 B\t0 B\nsecond\t500 B\t500 B\n"));
}

}  // namespace
}  // namespace zt::test
