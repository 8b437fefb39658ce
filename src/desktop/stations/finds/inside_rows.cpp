// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/finds/inside_rows.h"

#include <QCoreApplication>
#include <algorithm>
#include <map>
#include <set>

#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

namespace {

constexpr std::size_t mostRows = 200;

QString tr(const char* text) {
  return QCoreApplication::translate("InsideRows", text);
}

Cell plain(const QString& text, const QString& tip = {}) {
  return {text, tip, false, false, false, false};
}
Cell figure(const QString& text, const QString& tip, bool quiet = false) {
  return {text, tip, false, false, quiet, true};
}
Cell amount(Bytes bytes) {
  return figure(say(&Words::bytes, bytes), say(&Words::exact, bytes));
}

TimeNs newestIn(const SurveyTree& t, NodeId id) {
  return t.isFolder(id) ? t.totals(id).newest : t.modified(id);
}

Cell ageOf(const FindContext& context, NodeId id) {
  const TimeNs newest = newestIn(context.tree, id);
  return figure(say(&Words::age, newest, context.survey.finished), dateText(newest), true);
}

Row rowOf(NodeId id, QList<Cell> cells) {
  return {id == noNode ? QString() : QString::number(id), -1, false, false, std::move(cells)};
}

/// What a trash knows of where a thing came from.
void addOrigin(const Subject& item, QString& name, QString& tip) {
  if (item.origin.empty()) return;
  name = tr("%1, from %2")
             .arg(say(&Words::path, PathBytes(baseName(item.origin))),
                  say(&Words::path, PathBytes(parentPath(item.origin))));
  tip += QLatin1Char('\n') +
         tr("thrown away %1")
             .arg(QString::fromStdString(item.deleted).replace(QLatin1Char('T'), QLatin1Char(' ')));
}

InsideRows things(const Find& find, const FindContext& context) {
  const SurveyTree& t = context.tree;
  std::vector<NodeId> nodes;
  const bool oneFolder =
      find.items.size() == 1 && find.items[0].node != noNode && t.isFolder(find.items[0].node);
  if (oneFolder) {
    const FolderTotals& totals = t.totals(find.items[0].node);
    for (NodeId id = totals.firstChild; totals.children > 0 && id < totals.firstChild + totals.children; ++id)
      nodes.push_back(id);
  } else {
    for (const auto& item : find.items)
      if (item.node != noNode) nodes.push_back(item.node);
  }
  const std::size_t count = std::min(nodes.size(), mostRows);
  std::partial_sort(nodes.begin(), nodes.begin() + static_cast<std::ptrdiff_t>(count), nodes.end(),
                    [&](NodeId a, NodeId b) { return t.weight(a) > t.weight(b); });
  // Of files with one name the place tells more than the name.
  std::set<std::string_view> names;
  for (std::size_t i = 0; i < count; ++i) names.insert(t.name(nodes[i]));
  const bool byPlace = !oneFolder && names.size() < count;
  InsideRows all{nodes.size() > count ? tr("Look inside: the largest %1 of %2").arg(count).arg(nodes.size())
                                      : tr("Look inside"),
                 {tr("name"), tr("newest"), tr("occupied")}};
  for (std::size_t i = 0; i < count; ++i) {
    const NodeId id = nodes[i];
    const auto item =
        std::find_if(find.items.begin(), find.items.end(), [&](const Subject& f) { return f.node == id; });
    QString name = say(&Words::path, byPlace ? t.path(id) : PathBytes(t.name(id)));
    QString tip = say(&Words::path, t.path(id));
    if (item != find.items.end()) addOrigin(*item, name, tip);
    all.rows.append(rowOf(id, {plain(name, tip), ageOf(context, id), amount(t.weight(id))}));
  }
  const bool oneFile = nodes.size() == 1 && !t.isFolder(nodes.front());
  if (oneFile) all.file = t.path(nodes.front());
  return all;
}

/// How a copy stands to the one that stays, beside being equal.
QString standsTo(const SurveyTree& t, NodeId copy) {
  if (t.mayShare(copy)) return tr("may share its bytes already");
  if (t.isLinked(copy)) return tr("goes; has further names");
  return tr("goes");
}

/// The one that stays first, then its copies.
InsideRows copies(const Find& find, const FindContext& context) {
  const SurveyTree& t = context.tree;
  InsideRows all{tr("Equal to each other. K keeps the chosen one instead"),
                 {tr("place"), tr("modified"), tr("after the plan")}};
  all.widths = {84, 110};
  const auto keeper = t.find(find.place);
  if (keeper)
    all.rows.append(rowOf(*keeper, {{say(&Words::path, find.place), {}, true, false, false, false},
                                    ageOf(context, *keeper),
                                    figure(tr("stays"), {})}));
  for (const Subject& item : find.items) {
    if (all.rows.size() >= static_cast<qsizetype>(mostRows)) break;
    all.rows.append(
        rowOf(item.node, {plain(say(&Words::path, item.path)), ageOf(context, item.node),
                          figure(standsTo(t, item.node), say(&Words::exact, item.occupied), true)}));
  }
  if (keeper && !t.isFolder(*keeper)) all.file = find.place;
  return all;
}

/// The points of a find, the newest first, with what their makers wrote of them.
InsideRows pointRows(const Find& find, const FindContext& context) {
  InsideRows all{tr("Snapshots that may go, the newest first"), {tr("of"), tr("taken"), tr("alone")}};
  std::vector<std::uint32_t> points;
  for (const Subject& item : find.items)
    if (const auto point = context.pointOf(item)) points.push_back(*point);
  std::sort(points.begin(), points.end(), [&](std::uint32_t a, std::uint32_t b) {
    return context.points[a].taken > context.points[b].taken;
  });
  for (std::size_t i = 0; i < points.size() && i < mostRows; ++i) {
    const Point& p = context.points[points[i]];
    const QString path = say(&Words::path, p.path);
    all.rows.append(
        rowOf(noNode, {plain(p.words.empty() ? path : say(&Words::path, p.words), path),
                       figure(say(&Words::age, p.taken, context.survey.finished), dateText(p.taken), true),
                       amount(context.points.own(points[i]))}));
  }
  return all;
}

/// Side by side, the newest first: where, when, how long, and where the first differing byte is.
InsideRows namesakes(const Find& find, const FindContext& context) {
  const SurveyTree& t = context.tree;
  InsideRows all{tr("One name, different content"),
                 {tr("folder"), tr("modified"), tr("length, first difference")}};
  all.widths = {88, 224};
  std::vector<std::uint64_t> differs;
  for (const Fact& fact : find.facts)
    if (fact.id == "differs-at") differs.push_back(std::get<std::uint64_t>(fact.value));
  // Of several that were changed at one time nobody can say which is the newest.
  const auto asNew = std::count_if(find.items.begin(), find.items.end(), [&](const Subject& item) {
    return t.modified(item.node) == t.modified(find.items.front().node);
  });
  for (std::size_t i = 0; i < find.items.size() && i < mostRows; ++i) {
    const NodeId id = find.items[i].node;
    QString length = say(&Words::bytes, t.length(id));
    const bool told = i > 0 && i - 1 < differs.size() && differs[i - 1] != ~std::uint64_t{0};
    if (told) length = tr("%1, from byte %2").arg(length, say(&Words::number, differs[i - 1]));
    all.rows.append(
        rowOf(id, {plain(say(&Words::path, PathBytes(parentPath(find.items[i].path))),
                         say(&Words::path, find.items[i].path)),
                   i == 0 && asNew == 1 ? figure(tr("newest"), dateText(t.modified(id))) : ageOf(context, id),
                   figure(length, say(&Words::exact, t.length(id)))}));
  }
  return all;
}

InsideRows image(const Find& find, const FindContext& context) {
  const Bytes outside = numberIn(find, "outside"), guest = numberIn(find, "guest-length");
  const bool known = hasFact(find, "inside");
  const Bytes inside = numberIn(find, "inside");
  const NodeId node = find.items.front().node;
  const Bytes length = context.tree.isFolder(node) ? context.tree.weight(node) : context.tree.length(node);
  const auto cannot = [&] { return figure(tr("cannot be told"), {}, true); };
  InsideRows all{tr("Outside and inside"), {QString(), tr("outside"), tr("inside")}};
  all.widths = {100, 110};
  all.rows.append(rowOf(noNode, {plain(tr("size")), amount(length), amount(guest)}));
  all.rows.append(rowOf(noNode, {plain(tr("in use")), amount(outside), known ? amount(inside) : cannot()}));
  all.rows.append(
      rowOf(noNode, {plain(tr("back, at least")), amount(numberIn(find, "least-back")), plain({})}));
  all.rows.append(rowOf(
      noNode,
      {plain(tr("back, at most")), amount(numberIn(find, "most-back")),
       known ? figure(tr("%1 free").arg(say(&Words::bytes, guest > inside ? guest - inside : 0)), {}, true)
             : cannot()}));
  return all;
}

}  // namespace

InsideRows insideRows(const Find& find, const FindContext& context) {
  // What has a face of its own; all else is a list of its things.
  using Made = InsideRows (*)(const Find&, const FindContext&);
  static const std::map<std::string_view, Made> faces{
      {"images", image}, {"duplicates", copies}, {"namesakes", namesakes}, {"points", pointRows}};
  const auto face = faces.find(find.kind);
  return face == faces.end() ? things(find, context) : face->second(find, context);
}

}  // namespace zt::desktop
