// SPDX-License-Identifier: GPL-3.0-or-later
// match
#include "cli/verbs.h"
#include "core/job/shop.h"
#include "core/match/duplicates.h"
#include "core/match/image_json.h"
#include "core/query/answer.h"

namespace zt::cli {

namespace {

Json copyJson(const FindContext& context, const EqualFiles& group, NodeId node, NodeId keeper) {
  const auto file = context.names.fileOf(node);
  Json one{{"linked", file && file == context.names.fileOf(keeper)},
           {"shared_extents", group.bodyOf(node) == group.bodyOf(keeper)}};
  putPath(one, "path", context.tree.path(node));
  return one;
}

Json groupsJson(const Job& job, const MatchResult& result) {
  const FindContext& context = *job.surveys().context();
  Json all = Json::array();
  for (const EqualFiles& group : result.groups) {
    if (group.links) continue;  // told of within folders only
    const Keeper keeper = keeperOf(context, group, job.planBook().marks(), job.surveys().keeperOrder());
    Json one{
        {"bytes_each", group.length}, {"keeper", {{"rule", name(keeper.why)}}}, {"copies", Json::array()}};
    putPath(one["keeper"], "path", context.tree.path(keeper.node));
    std::vector<NodeId> others;
    for (const NodeId node : group.nodes) {
      if (node == keeper.node) continue;
      if (group.bodyOf(node) != group.bodyOf(keeper.node))
        for (const NodeId name : context.names.of(node)) others.push_back(name);
      one["copies"].push_back(copyJson(context, group, node, keeper.node));
    }
    const GainBounds gain = context.gain.of(others);
    one["gain"] = {{"sure_bytes", gain.sure}, {"at_most_bytes", gain.atMost}};
    one["in_trash"] = Json::array();
    for (const NodeId node : group.thrownAway) one["in_trash"].push_back(escapePath(context.tree.path(node)));
    all.push_back(std::move(one));
  }
  return all;
}

Json namesakesJson(const Job& job) {
  const SurveyTree& tree = job.surveys().survey()->tree;
  Json all = Json::array();
  for (const Find& find : *job.surveys().finds()) {
    if (find.kind != "namesakes") continue;
    Json one{{"name", escapePath(find.place)}, {"items", Json::array()}};
    for (const Subject& thing : find.items) {
      Json item{{"bytes", tree.length(thing.node)}, {"modified_ns", tree.modified(thing.node)}};
      if (const auto at = differenceOf(*differencesIn(job.surveys().detected().contents),
                                       find.items.front().node, thing.node))
        item["first_difference"] = *at;
      putPath(item, "path", thing.path);
      one["items"].push_back(std::move(item));
    }
    all.push_back(std::move(one));
  }
  return all;
}

Json imagesJson(const Job& job) {
  const FindContext& context = *job.surveys().context();
  Json all = Json::array();
  const auto images = imagesIn(job.surveys().detected().contents);
  if (!images) return all;
  for (const ImageSeen& image : *images) {
    Json one = imageJson(image.facts);
    putPath(one, "path", context.tree.path(image.node));
    one["in_use"] = context.held.contains(image.node);
    all.push_back(std::move(one));
  }
  return all;
}

Json foldersJson(const Job& job) {
  const SurveyTree& tree = job.surveys().survey()->tree;
  Json all = Json::array();
  for (const FolderCopy& folder : folderCopiesIn(job.surveys().detected().ofContents.front())) {
    Json one{{"bytes", tree.weight(folder.gone)}, {"same", folder.same}};
    putPath(one, "path", tree.path(folder.gone));
    putPath(one, "stays", tree.path(folder.stays));
    all.push_back(std::move(one));
  }
  return all;
}

void printImages(Console& console, const Job& job) {
  for (const Find& find : *job.surveys().finds()) {
    if (find.kind != "images") continue;
    console.out << column(find.gain.atMost) << "  " << words().findTitle(find) << "\n            "
                << say("%1; could return %2 to %3",
                       {words().findNote(find), words().bytes(numberIn(find, "least-back")),
                        words().bytes(find.gain.atMost)})
                << '\n';
  }
}

void printGroups(Console& console, const Job& job, std::size_t top) {
  std::vector<const Find*> all;
  Bytes bytes = 0;
  for (const Find& find : *job.surveys().finds())
    if (find.kind == "duplicates") all.push_back(&find), bytes += find.gain.sure;
  std::stable_sort(all.begin(), all.end(),
                   [](const Find* a, const Find* b) { return a->gain.atMost > b->gain.atMost; });
  for (std::size_t i = 0; i < all.size() && (top == 0 || i < top); ++i) {
    console.out << column(all[i]->gain.atMost) << "  " << words().findTitle(*all[i]) << "\n            "
                << all[i]->id << ": " << words().findNote(*all[i]) << '\n';
    for (const Subject& copy : all[i]->items)
      console.out << "              " << escapePath(copy.path) << '\n';
  }
  if (all.empty())
    console.out << say("No equal files.") << '\n';
  else
    console.out << say("%1; without the copies %2 would be free.",
                       {words().groups(all.size()), words().bytes(bytes)})
                << '\n';
}

}  // namespace

int matchVerb(Console& console, const Arguments& args) {
  int status = 0;
  if (!args.keepBy.empty()) {
    const auto order = parseOrder(args.keepBy == "usual" ? "" : args.keepBy);
    if (!order) return report(console, order.error());
    if (auto kept = sayShopKeepers(console.workshop, *order); !kept) return report(console, kept.error());
  }
  const auto job = openJob(console, args, status);
  if (!job) return status;
  MatchBook::Options options;
  options.stop = console.stop;
  if (!args.least.empty()) {
    const auto least = parseAmount(args.least, job->reading().capacity);
    if (!least) return report(console, least.error());
    options.least = *least;
  }
  const auto question = parseQuestion(args.question, theirQuestion(*job->surveys().context()));
  if (!question) return report(console, question.error());
  options.question = *question;
  Result<MatchResult> result = fail(Errc::cancelled, "match");
  {
    ProgressLine line(console, ProgressLine::Of::reading);
    // As they come; the list at the end has them in order. A process that is stopped (Ctrl+Z) pauses.
    options.found = [&](const EqualFiles& group) {
      const PathBytes path = job->surveys().context()->tree.path(group.nodes.front());
      line.tell(say("found: %1 %2 times: %3",
                    {words().bytes(group.length), words().number(group.nodes.size()), escapePath(path)}));
    };
    result = job->contents().match(options, &line);
  }
  if (!result) return report(console, result.error());
  constexpr std::size_t named = 10;
  for (std::size_t i = 0; i < std::min(named, result->left.size()); ++i)
    console.err << say("not compared: %1", {words().error(result->left[i].error)}) << '\n';
  if (result->left.size() > named)
    console.err << say("and %1 more not compared", {words().number(result->left.size() - named)}) << '\n';
  if (args.json) {
    Json left = Json::array();
    for (const NotCompared& one : result->left) {
      Json l{{"problem", name(one.error.code)}};
      putPath(l, "path", one.error.path);
      left.push_back(std::move(l));
    }
    print(console, {{"groups", groupsJson(*job, *result)},
                    {"namesakes", namesakesJson(*job)},
                    {"folders", foldersJson(*job)},
                    {"images", imagesJson(*job)},
                    {"left", std::move(left)},
                    {"stopped", result->stopped},
                    {"read_bytes", result->read},
                    {"needed_bytes", result->needed},
                    {"images_read_bytes", result->readOfImages}});
  } else {
    printGroups(console, *job, args.top);
    printImages(console, *job);
  }
  return result->stopped ? Exit::partly : Exit::done;
}

}  // namespace zt::cli
