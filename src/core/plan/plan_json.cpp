// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan_json.h"

namespace zt {

Json toJson(const Gain& gain) {
  return {{"sure_bytes", gain.sure}, {"at_most_bytes", gain.atMost}, {"when", name(gain.when)}};
}

Json toJson(const Identity& i) {
  return {{"kind", static_cast<int>(i.kind)}, {"inode", i.inode},        {"length_bytes", i.length},
          {"modified_ns", i.modified},        {"born_mark", i.bornMark}, {"changed_mark", i.changedMark}};
}

Identity readIdentity(JsonReader& in) {
  Identity i;
  const auto kind = in.number<std::uint32_t>("kind");
  if (kind > 3) in.wrong("kind");
  i.kind = static_cast<EntryKind>(kind & 3u);
  i.inode = in.number<std::uint64_t>("inode");
  i.length = in.number<std::uint64_t>("length_bytes");
  i.modified = in.number<std::int64_t>("modified_ns");
  i.bornMark = in.number<std::uint32_t>("born_mark");
  i.changedMark = in.number<std::uint32_t>("changed_mark");
  return i;
}

namespace {

constexpr std::size_t mostLines = 100'000;
constexpr std::size_t mostItems = 1'000'000;
constexpr std::size_t mostOffers = 100;

Gain readGain(JsonReader& in, const char* key) {
  Gain g;
  in.object(key, [&](JsonReader& gain) {
    g.sure = gain.number<Bytes>("sure_bytes");
    g.atMost = gain.number<Bytes>("at_most_bytes");
    g.when = gain.choice<GainTime>("when", gainTimes);
  });
  return g;
}

std::string readFindKind(JsonReader& in, const KnownKinds& known) {
  std::string kind = in.text("kind");
  if (kind != pickedKind && !known.knows(kind)) in.wrong("kind");
  return kind;
}

Json subjectJson(const Subject& s) {
  Json j{{"occupied_bytes", s.occupied}, {"identity", toJson(s.identity)}};
  if (s.kind != SubjectKind::entry) j["subject"] = name(s.kind);
  putPath(j, "path", s.path);
  if (!s.origin.empty()) putPath(j, "origin", s.origin);
  if (!s.deleted.empty()) j["deleted"] = s.deleted;
  if (!s.recordOf.empty()) putPath(j, "record_of", s.recordOf);
  return j;
}

Subject readSubject(JsonReader& in) {
  Subject s;
  s.kind = in.choiceOr("subject", subjectKinds, SubjectKind::entry);
  s.path = in.path("path");
  s.occupied = in.number<Bytes>("occupied_bytes");
  in.object("identity", [&](JsonReader& identity) { s.identity = readIdentity(identity); });
  s.origin = in.pathOr("origin");
  s.deleted = in.textOr("deleted");
  s.recordOf = in.pathOr("record_of");
  return s;
}

std::vector<Subject> readSubjects(JsonReader& in) {
  std::vector<Subject> all;
  in.each("items", mostItems, [&](JsonReader& item) { all.push_back(readSubject(item)); });
  return all;
}

Json factsJson(const Find& find) {
  Json facts = Json::array();
  for (const Fact& fact : find.facts) {
    Json j{{"id", fact.id}};
    std::visit([&](const auto& value) { j["value"] = value; }, fact.value);
    facts.push_back(std::move(j));
  }
  return facts;
}

Json offersJson(const std::vector<Offer>& all) {
  Json offers = Json::array();
  for (const Offer& o : all)
    offers.push_back({{"action", o.action},
                      {"regret", name(o.regret)},
                      {"gain", toJson(o.gain)},
                      {"conditions", o.conditions}});
  return offers;
}

Offer readOffer(JsonReader& o) {
  Offer offer;
  offer.action = o.text("action");
  offer.regret = o.choice<Regret>("regret", regrets);
  offer.gain = readGain(o, "gain");
  if (o.json().contains("conditions") && o.json()["conditions"].is_array())
    for (const Json& c : o.json()["conditions"])
      if (c.is_string()) offer.conditions.push_back(c.get<std::string>());
  return offer;
}

void readOffers(JsonReader& in, const KnownKinds& known, Find& find) {
  in.eachOr("offers", mostOffers, [&](JsonReader& o) {
    find.offers.push_back(readOffer(o));
    const StepPtr step = known.steps.find(find.offers.back().action);
    if (step == nullptr) return o.wrong("action");
    find.offers.back().canReturn = step->undo != UndoRule::none;
    find.offers.back().label = step->label;
  });
  in.eachOr("closed_offers", mostOffers, [&](JsonReader& o) { find.closed.push_back(readOffer(o)); });
  in.eachOr("facts", mostOffers, [&](JsonReader& f) {
    Fact fact{f.text("id"), std::string{}};
    const Json value = f.json().value("value", Json());
    if (value.is_number_unsigned())
      fact.value = value.get<std::uint64_t>();
    else
      fact.value = f.text("value");
    find.facts.push_back(std::move(fact));
  });
}

/// The first version had no offers: what it knew could be discarded or held.
void offersOfVersion1(const KnownKinds& known, Find& find) {
  if (find.standing == Standing::bedrock) return;
  for (const char* action : {find.kind == "trash" ? "empty" : "discard", "hold"})
    find.offers.push_back({action, {}, {}, {}});
  priceOffers(find, known.steps);
}

}  // namespace

Json toJson(const Find& find) {
  Json items = Json::array();
  for (const Subject& s : find.items) items.push_back(subjectJson(s));
  Json j{{"id", find.id},
         {"kind", find.kind},
         {"standing", name(find.standing)},
         {"judged", name(find.judged)},
         {"regret", name(find.regret)},
         {"gain", toJson(find.gain)},
         {"items", std::move(items)},
         {"offers", offersJson(find.offers)},
         {"facts", factsJson(find)},
         {"age", name(find.band)},
         {"newest_ns", find.newest},
         {"accessed_seconds", find.accessed},
         {"owner", find.owner},
         {"files", find.files},
         {"links_elsewhere", find.linksElsewhere},
         {"likelihood", find.likelihood},
         {"place_id", find.placeId}};
  if (find.live) j["live"] = true;
  if (find.whole) j["whole"] = true;
  if (!find.closed.empty()) j["closed_offers"] = offersJson(find.closed);
  putPath(j, "place", find.place);
  return j;
}

Result<Find> findFromJson(const Json& json, const KnownKinds& known) {
  JsonReader in(json);
  Find find;
  find.id = in.text("id");
  find.kind = readFindKind(in, known);
  find.standing = find.judged = in.choiceOr("judged", standings, in.choice<Standing>("standing", standings));
  find.regret = in.choice<Regret>("regret", regrets);
  find.gain = readGain(in, "gain");
  find.items = readSubjects(in);
  find.live = in.flagOr("live", false);
  find.whole = in.flagOr("whole", false);
  if (find.items.empty()) in.wrong("items");
  find.band = in.choice<AgeBand>("age", ageBands);
  find.place = in.path("place");
  find.newest = in.number<std::int64_t>("newest_ns");
  find.accessed = in.number<std::int64_t>("accessed_seconds");
  find.owner = in.number<std::uint32_t>("owner");
  find.files = in.number<std::uint32_t>("files");
  find.linksElsewhere = in.number<std::uint32_t>("links_elsewhere");
  find.likelihood = in.numberOr<std::uint32_t>("likelihood", 0);
  find.placeId = in.text("place_id");
  if (in.has("left_out") && in.number<std::uint64_t>("left_out") > 0)
    find.facts.push_back({"left-out", in.number<std::uint64_t>("left_out")});
  readOffers(in, known, find);
  if (!in.ok()) return fail(Errc::corrupt, "finds", {}, in.fault());
  if (!in.has("offers")) offersOfVersion1(known, find);
  return find;
}

Json toJson(const Plan& plan) {
  Json lines = Json::array();
  for (const PlanLine& line : plan.lines) {
    Json items = Json::array();
    for (const auto& item : line.items) items.push_back(subjectJson(item));
    Json j{{"id", line.id},
           {"kind", line.kind},
           {"action", line.step->id},
           {"standing", name(line.standing)},
           {"regret", name(line.regret())},
           {"gain", toJson(line.gain)},
           {"age", name(line.band)},
           {"enabled", line.enabled},
           {"proposed", line.proposed},
           {"items", std::move(items)}};
    putPath(j, "place", line.place);
    if (!line.parameters.empty()) j["parameters"] = toJson(line.parameters);
    lines.push_back(std::move(j));
  }
  return {{"format", "zip-tally-plan"}, {"version", 1}, {"lines", std::move(lines)}};
}

namespace {

PlanLine readLine(JsonReader& in, const KnownKinds& known) {
  PlanLine line;
  line.id = in.text("id");
  line.kind = readFindKind(in, known);
  line.step = known.steps.find(in.text("action"));
  if (line.step == nullptr) in.wrong("action");
  line.standing = in.choice<Standing>("standing", standings);
  line.found = in.choice<Regret>("regret", regrets);
  line.gain = readGain(in, "gain");
  line.place = in.path("place");
  line.band = in.choice<AgeBand>("age", ageBands);
  line.enabled = in.flagOr("enabled", true);
  line.proposed = in.flagOr("proposed", false);
  line.items = readSubjects(in);
  line.parameters = readParameters(in, "parameters");
  if (line.step != nullptr && !line.parameters.fit(line.step->takes)) in.wrong("parameters");
  return line;
}

}  // namespace

Result<Plan> planFromJson(const Json& json, const KnownKinds& known) {
  if (!json.is_object() || json.value("format", Json()) != "zip-tally-plan")
    return fail(Errc::notOurs, "plan-file");
  JsonReader in(json);
  const auto version = in.number<std::uint64_t>("version");
  if (in.ok() && version != 1) return fail(Errc::tooNew, "plan-file");
  Plan plan;
  in.each("lines", mostLines, [&](JsonReader& line) { plan.lines.push_back(readLine(line, known)); });
  if (!in.ok()) return fail(Errc::badInput, "plan-file", {}, in.fault());
  return plan;
}

Json toJson(const Target& t) {
  return {{"label", t.label}, {"origin", name(t.origin)}, {"amount", t.amount},
          {"bytes", t.bytes}, {"chosen", t.chosen},       {"while_it_runs", t.whileItRuns}};
}

Target readTarget(JsonReader& in) {
  Target t;
  t.label = in.text("label");
  t.origin = in.choice<TargetOrigin>("origin", targetOrigins);
  t.amount = in.text("amount");
  t.bytes = in.number<Bytes>("bytes");
  t.chosen = in.flag("chosen");
  t.whileItRuns = in.flagOr("while_it_runs", false);
  return t;
}

Result<std::vector<Target>> targetsFromJson(const Json& json) {
  const Json wrapped{{"targets", json}};
  JsonReader in(wrapped);
  std::vector<Target> all;
  in.each("targets", 1000, [&](JsonReader& t) { all.push_back(readTarget(t)); });
  if (!in.ok()) return fail(Errc::corrupt, "targets", {}, in.fault());
  return all;
}

Json toJson(const Marks& marks) {
  Json list = Json::array();
  for (const auto& [path, said] : marks.all()) {
    Json j{{"mark", name(said.mark)}};
    if (said.inode != 0) j["inode"] = said.inode, j["folder"] = said.folder;
    putPath(j, "path", path);
    list.push_back(std::move(j));
  }
  return list;
}

Result<Marks> marksFromJson(const Json& json) {
  const Json wrapped{{"marks", json}};
  JsonReader in(wrapped);
  Marks marks;
  in.each("marks", 1'000'000, [&](JsonReader& m) {
    const PathBytes path = m.path("path");
    const bool first = m.has("kept");
    const Mark mark =
        first ? (m.flag("kept") ? Mark::keep : Mark::notNow) : m.choice<Mark>("mark", markKinds);
    marks.put(path, {mark, m.numberOr<std::uint64_t>("inode", 0), m.flagOr("folder", false)});
  });
  if (!in.ok()) return fail(Errc::corrupt, "marks", {}, in.fault());
  return marks;
}

}  // namespace zt
