// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/images.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <chrono>

#include "core/base/path_bytes.h"
#include "core/images/bundle.h"
#include "core/images/parent_images.h"
#include "core/os/keeping.h"

namespace zt {

namespace {

/// An image that another lies upon, with what it lies upon itself.
class OwnedDisk final : public DiskBytes {
public:
  OwnedDisk(OpenedFilePtr file, Bytes length) : file_(std::move(file)), source_(*file_, length) {}
  Result<void> open(const OpenBelow& openBelow, const std::stop_token& stop) {
    auto image = readImage(source_, stop);
    if (!image) return tl::unexpected(image.error());
    image_ = std::move(*image);
    if (!image_.backing.empty() && !(below_ = openBelow(image_.backing)))
      return fail(Errc::notThere, "image");
    disk_.emplace(source_, image_, below_.get());
    return {};
  }
  Bytes length() const override { return disk_->length(); }
  Result<void> read(Bytes at, std::span<char> into) override { return disk_->read(at, into); }
  Result<Stretch> nextData(Bytes at) override { return disk_->nextData(at); }

private:
  OpenedFilePtr file_;
  FileSource source_;
  DiskImage image_;
  std::unique_ptr<DiskBytes> below_;
  std::optional<GuestDisk> disk_;
};

/// A path without "." and "..", as far as it does not lead out of the top.
PathBytes withoutUps(std::string_view path) {
  std::vector<std::string_view> kept;
  for (const auto part : splitPath(path)) {
    if (part == ".") continue;
    if (part == ".." && (kept.empty() || kept.back() == "..")) return PathBytes("..");
    part == ".." ? kept.pop_back() : kept.push_back(part);
  }
  PathBytes joined;
  for (const auto part : kept) joined = joinPath(joined, part);
  return joined;
}

class Hunt {
public:
  Hunt(FileSystemReader& files, const Folder& root, const FindContext& context, const ImageSearch& search,
       ProgressSink* progress)
      : files_(files),
        root_(root),
        context_(context),
        tree_(context.tree),
        search_(search),
        progress_(progress) {}

  ImagesFound run() {
    if (search_.known != nullptr)
      for (const ImageSeen& image : *search_.known) known_.emplace(image.node, &image);
    for (const NodeId node : candidates()) {
      if (search_.stop.stop_requested()) break;
      turn(node);
      lookAt(node);
    }
    // Only now it is known how much is to be read.
    if (search_.readZeros) readZeros();
    found_.stopped = search_.stop.stop_requested();
    found_.read = read_;
    return std::move(found_);
  }

private:
  std::vector<NodeId> candidates() const {
    const std::vector<NodeId> holds = holdFolders(tree_);
    std::vector<NodeId> all;
    for (NodeId id = 1; id < tree_.size(); ++id) {
      if (tree_.isGone(id) || context_.inTrash[id] || (!search_.only.empty() && !search_.only[id])) continue;
      const bool file = tree_.kind(id) == EntryKind::file;
      if (!file && !(tree_.isFolder(id) && isBundle(id))) continue;
      if (tree_.weight(id) < std::max<Bytes>(search_.least, 1) || isBeneathAny(context_.gain, id, holds))
        continue;
      all.push_back(id);
    }
    return all;
  }

  void readZeros() {
    for (const ImageSeen& image : found_.images)
      if (!image.facts.zerosRead) needed_ += image.facts.allocated;
    zeros_ = true;
    std::vector<ImageSeen> all = std::exchange(found_.images, {});
    for (ImageSeen& image : all) {
      const std::size_t before = found_.images.size();
      if (!image.facts.zerosRead && !search_.stop.stop_requested()) lookAt(image.node);
      // What was stopped on the way stays as it was known.
      if (found_.images.size() == before) found_.images.push_back(std::move(image));
    }
  }

  /// Between two reads: says how far it is, and waits while it is paused.
  void turn(NodeId node) {
    if (search_.pause != nullptr) search_.pause->pass(search_.stop);
    constexpr std::chrono::milliseconds apart{60};
    const auto now = std::chrono::steady_clock::now();
    if (progress_ == nullptr || now < nextTold_) return;
    nextTold_ = now + apart;
    progress_->report({read_, std::max<Bytes>(needed_, read_), 0, 0, tree_.path(node)});
  }

  bool isBundle(NodeId id) const { return tree_.child(id, "Info.plist") && tree_.child(id, "bands"); }

  void lookAt(NodeId node) {
    const auto known = known_.find(node);
    if (known != known_.end() && (!zeros_ || known->second->facts.zerosRead)) {
      found_.images.push_back(*known->second);
      return;
    }
    auto facts = tree_.isFolder(node) ? bundleFacts(node) : fileFacts(node);
    if (facts) {
      found_.images.push_back({node, std::move(*facts)});
      return;
    }
    const Errc code = facts.error().code;
    if (code == Errc::notOurs || code == Errc::cancelled || code == Errc::placeholder) return;
    found_.left.push_back({node, facts.error()});
    found_.left.back().error.path = tree_.path(node);
  }

  ImageOptions optionsFor(NodeId node) {
    ImageOptions options;
    options.outside = tree_.weight(node);
    options.stop = search_.stop;
    options.readZeros = zeros_;
    options.turn = [this, node] { turn(node); };
    options.read = &read_;
    options.below = [this, node](const std::string& name) { return openBelow(node, name, 0); };
    return options;
  }

  Result<OpenedFilePtr> open(NodeId node) {
    const PathBytes path = tree_.path(node);
    const auto folder = files_.openBeneath(root_, parentPath(path));
    if (!folder) return tl::unexpected(folder.error());
    auto file = files_.openFile(**folder, baseName(path));
    if (!file) return file;
    if (auto same = unchanged(**file, node); !same) return tl::unexpected(same.error());
    return file;
  }

  Result<void> unchanged(OpenedFile& file, NodeId node) const {
    const auto stat = file.stat();
    if (!stat) return tl::unexpected(stat.error());
    Identity now = identityOf(*stat);
    now.changedMark = tree_.identity(node).changedMark;  // a further name changes that, and no content
    return now == tree_.identity(node) ? Result<void>{}
                                       : Result<void>(fail(Errc::changed, "image", tree_.path(node)));
  }

  Result<ImageFacts> fileFacts(NodeId node) {
    const auto file = open(node);
    if (!file) return tl::unexpected(file.error());
    FileSource source(**file, tree_.length(node));
    const auto maybe = mayBeImage(source);
    if (!maybe) return tl::unexpected(maybe.error());
    if (!*maybe) return fail(Errc::notOurs, "image");
    ImageOptions options = optionsFor(node);
    if (zeros_) options.setAside = setAsideIn(node);
    auto facts = lookInto(source, options);
    if (facts)
      if (auto same = unchanged(**file, node); !same) return tl::unexpected(same.error());
    return facts;
  }

  /// Nothing where the file system does not say.
  std::vector<Stretch> setAsideIn(NodeId node) const {
    const PathBytes path = tree_.path(node);
    const auto folder = files_.openBeneath(root_, parentPath(path));
    const auto map = folder ? files_.fileMap(**folder, baseName(path))
                            : Result<std::vector<FileExtent>>(tl::unexpected(folder.error()));
    std::vector<Stretch> all;
    if (!map) return all;
    for (const FileExtent& run : *map)
      if (!run.written && !run.shared && run.at < tree_.length(node))
        all.push_back({run.at, std::min(run.at + run.bytes, tree_.length(node))});
    return all;
  }

  /// By the number that a band's name is.
  std::vector<std::pair<Bytes, NodeId>> bandsOf(NodeId bundle) const {
    std::vector<std::pair<Bytes, NodeId>> bands;
    const FolderTotals& t = tree_.totals(*tree_.child(bundle, "bands"));
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const std::string_view name = tree_.name(id);
      Bytes number = 0;
      const auto [end, problem] = std::from_chars(name.data(), name.data() + name.size(), number, 16);
      if (problem == std::errc{} && end == name.data() + name.size() && tree_.kind(id) == EntryKind::file)
        bands.emplace_back(number, id);
    }
    std::sort(bands.begin(), bands.end());
    return bands;
  }

  Result<ImageFacts> bundleFacts(NodeId node) {
    const auto folder = files_.openBeneath(root_, tree_.path(node));
    if (!folder) return tl::unexpected(folder.error());
    constexpr std::size_t mostPlist = std::size_t{64} * 1024;
    const auto plist = files_.readFile(**folder, "Info.plist", mostPlist);
    if (!plist) return fail(Errc::notOurs, "image");
    const auto plan = parseBundle(*plist);
    if (!plan) return tl::unexpected(plan.error());
    const auto bands = bandsOf(node);
    std::vector<Bytes> numbers;
    numbers.reserve(bands.size());
    for (const auto& [number, band] : bands) numbers.push_back(number);
    BandedSource source(*plan, std::move(numbers), [&](Bytes number) -> Result<BandedSource::Band> {
      const auto at = std::lower_bound(bands.begin(), bands.end(), std::pair(number, NodeId{0}));
      if (at == bands.end() || at->first != number) return fail(Errc::notThere, "image");
      auto file = open(at->second);
      if (!file) return tl::unexpected(file.error());
      return BandedSource::Band{std::move(*file), tree_.length(at->second)};
    });
    auto image = readBundle(source, search_.stop);
    if (!image) return tl::unexpected(image.error());
    const auto token = tree_.child(node, "token");
    image->encrypted = token && tree_.length(*token) > 0;
    return lookInto(source, *image, optionsFor(node));
  }

  /// What an image lies upon: a file of this survey, by a path from where the image lies or from the top of
  /// the running system. A chain of eight at most, so that none goes round.
  std::unique_ptr<DiskBytes> openBelow(NodeId image, const std::string& name, unsigned depth) {
    constexpr unsigned deepest = 8;
    if (depth >= deepest) return nullptr;
    const auto below = nodeNamed(image, name);
    if (!below || *below == image) return nullptr;
    auto file = open(*below);
    if (!file) return nullptr;
    auto disk = std::make_unique<OwnedDisk>(std::move(*file), tree_.length(*below));
    const auto opened = disk->open(
        [this, at = *below, depth](const std::string& next) { return openBelow(at, next, depth + 1); },
        search_.stop);
    return opened ? std::move(disk) : nullptr;
  }

  /// A parent that is named by its id lies in the folder of the image or in the one around it.
  std::optional<NodeId> vdiNamed(NodeId image, const std::string& name) {
    constexpr std::size_t most = 1000;
    std::size_t asked = 0;
    NodeId folder = tree_.parent(image);
    for (int up = 0; up < 2; ++up) {
      const FolderTotals& t = tree_.totals(folder);
      for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
        const bool perhaps = id != image && !tree_.isGone(id) && tree_.kind(id) == EntryKind::file &&
                             lowered(tree_.name(id)).ends_with(".vdi") && tree_.length(id) >= 512;
        if (!perhaps || ++asked > most) continue;
        std::array<char, 512> head{};
        const auto file = open(id);
        const auto got = file ? (*file)->read(0, head) : Result<std::size_t>(std::size_t{0});
        if (got && *got == head.size() && vdiOwnName({head.data(), head.size()}) == name) return id;
      }
      if (folder == 0) break;
      folder = tree_.parent(folder);
    }
    return std::nullopt;
  }

  std::optional<NodeId> nodeNamed(NodeId image, std::string name) {
    if (name.starts_with("vdi:")) return vdiNamed(image, name);
    if (name.starts_with("file:")) name.erase(0, 5);
    PathBytes path;
    if (name.starts_with('/')) {
      const PathBytes& top = context_.survey.root;
      if (!beneath(name, top == "/" ? "" : top)) return std::nullopt;
      path = name.substr(top == "/" ? 1 : top.size() + 1);
    } else {
      path = joinPath(parentPath(tree_.path(image)), name);
    }
    path = withoutUps(path);
    if (!plainRelative(path)) return std::nullopt;
    const auto node = tree_.find(path);
    return node && tree_.kind(*node) == EntryKind::file ? node : std::nullopt;
  }

  FileSystemReader& files_;
  const Folder& root_;
  const FindContext& context_;
  const SurveyTree& tree_;
  const ImageSearch& search_;
  ProgressSink* progress_;
  absl::flat_hash_map<NodeId, const ImageSeen*> known_;
  std::atomic<Bytes> read_{0};
  Bytes needed_ = 0;
  bool zeros_ = false;  ///< what images store is read now, too
  std::chrono::steady_clock::time_point nextTold_{};
  ImagesFound found_;
};

std::string systemsOf(const ImageFacts& facts) {
  std::string all;
  for (const GuestVolume& v : facts.volumes) {
    if (v.system.empty()) continue;
    if (!all.empty()) all += ", ";
    all += v.system;
  }
  return all;
}

}  // namespace

ImagesFound findImages(FileSystemReader& files, const Folder& root, const FindContext& context,
                       const ImageSearch& search, ProgressSink* progress) {
  return Hunt(files, root, context, search, progress).run();
}

Find imageFind(const FindContext& context, const ImageSeen& image) {
  const ImageFacts& facts = image.facts;
  Find find;
  find.kind = "images";
  find.likelihood = 40;
  find.items.push_back(context.subject(image.node));
  // What this program writes itself; all else is its owner's program's to do.
  // Where files have no holes, as in a stand-in, only what is written anew is smaller.
  const std::string& type = context.survey.fsType;
  const bool holes = !context.survey.standIn && keepingOf(type).holes && !type.starts_with("fuse");
  const bool written = facts.rewritten && (!facts.lies || holes);
  find.place = context.tree.path(image.node);
  context.complete(find);
  // What others hold, too, stays with them, and at worst all of it is zeros.
  const Bytes held = facts.outside - std::min<Bytes>(find.gain.sure, facts.outside);
  const Bytes most = std::min<Bytes>(facts.most, find.gain.atMost), least = facts.zerosRead ? facts.least : 0;
  const Gain gain{std::min(least - std::min(least, held), most), most, GainTime::now};
  const bool ours = written && facts.backing.empty() && facts.snapshots == 0 && !facts.encrypted &&
                    !facts.unclean && most > 0;
  find.offers = {{ours ? "shrink" : "compact", {}, gain, {}}};
  find.placeId.clear();
  find.band = ageBand(find.newest, context.options.now);
  find.id = FindContext::findId(find.kind, find.place, AgeBand::today);
  const auto number = [&](const char* id, Bytes value) { find.facts.push_back({id, std::uint64_t{value}}); };
  find.facts.push_back({"format", facts.format});
  number("outside", facts.outside);
  number("guest-length", facts.guestLength);
  number("allocated", facts.allocated);
  if (facts.inside) number("inside", *facts.inside);
  number("least-back", facts.least);
  number("most-back", facts.most);
  if (const std::string systems = systemsOf(facts); !systems.empty())
    find.facts.push_back({"guest-systems", systems});
  if (!facts.backing.empty()) find.facts.push_back({"backing", escapePath(facts.backing)});
  if (!facts.backing.empty() && !facts.backingRead) number("backing-not-read", 1);
  if (facts.snapshots > 0) number("kept-states", facts.snapshots);
  if (facts.encrypted) number("encrypted", 1);
  if (facts.unclean) number("unclean", 1);
  if (context.held.contains(image.node)) number("in-use", 1);
  // Making it compact loses nothing.
  find.gain = ours ? gain : Gain{0, most, GainTime::later};
  find.regret = Regret::none;
  return find;
}

}  // namespace zt
