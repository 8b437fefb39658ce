// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <set>

#include "core/match/content_json.h"
#include "core/match/contents.h"
#include "core/match/image_json.h"

namespace zt {

namespace {

struct ImagesKnown final : ContentSeen {
  std::vector<ImageSeen> images;
};

const std::vector<ImageSeen>& imagesOf(const ContentSeen& seen) {
  return static_cast<const ImagesKnown&>(seen).images;
}

class ImageContent final : public ContentKind {
public:
  std::string_view id() const override { return "images"; }
  std::vector<std::string> findKinds() const override { return {"images"}; }

  ContentSeenPtr look(ContentSearch& search) const override {
    const ContentSeenPtr before = search.before.of(id());
    ImageSearch images;
    images.least = std::max(search.how.least, images.least);
    images.only = search.how.only;
    images.stop = search.how.stop;
    images.readZeros = search.readZeros;
    images.pause = search.how.pause;
    images.known = before ? &imagesOf(*before) : nullptr;
    ImagesFound found = findImages(search.files, search.root, search.context, images, search.progress);
    MatchResult& result = search.result;
    result.readOfImages += found.read;
    result.stopped = result.stopped || found.stopped;
    std::set<NodeId> left;
    for (const NotCompared& one : result.left) left.insert(one.node);
    for (NotCompared& one : found.left)
      if (!left.contains(one.node)) result.left.push_back(std::move(one));
    auto all = std::make_shared<ImagesKnown>();
    all->images = std::move(found.images);
    if (before) addEarlier(imagesOf(*before), all->images);
    return all;
  }

  /// Of a bundle the folder's own times say nothing: it is looked into again.
  ContentSeenPtr carriedOver(const ContentSeen& seen, const SurveyTree& from,
                             const SurveyTree& to) const override {
    auto all = std::make_shared<ImagesKnown>();
    for (const ImageSeen& image : imagesOf(seen))
      if (const auto same = stillOn(from, image.node, to); same && !to.isFolder(*same))
        all->images.push_back({*same, image.facts});
    return all;
  }

  Json toJson(const ContentSeen& seen, const SurveyTree& tree) const override {
    Json all = Json::array();
    for (const ImageSeen& image : imagesOf(seen)) {
      Json one = imageJson(image.facts);
      one["file"] = seenFileJson(tree, image.node);
      all.push_back(std::move(one));
    }
    return all;
  }

  ContentSeenPtr read(JsonReader& in, const char* key, const SurveyTree& tree) const override {
    auto all = std::make_shared<ImagesKnown>();
    in.eachOr(key, mostContentRows, [&](JsonReader& image) {
      std::optional<NodeId> node;
      image.object("file", [&](JsonReader& file) { node = readSeenFile(file, tree); });
      const ImageFacts facts = readImageFacts(image);
      if (node) all->images.push_back({*node, facts});
    });
    return all;
  }

  ContentFinds::Ptr finds(const ContentView& view, const Marks&,
                          const ContentFinds::Ptr& unmarked) const override {
    if (unmarked) return unmarked;
    auto finds = std::make_shared<ContentFinds>();
    if (const auto images = imagesIn(view.contents))
      for (const ImageSeen& image : *images) finds->all.push_back(view.made(imageFind(view.context, image)));
    return finds;
  }

private:
  static void addEarlier(const std::vector<ImageSeen>& earlier, std::vector<ImageSeen>& images) {
    std::set<NodeId> now;
    for (const ImageSeen& image : images) now.insert(image.node);
    for (const ImageSeen& image : earlier)
      if (!now.contains(image.node)) images.push_back(image);
    std::sort(images.begin(), images.end(),
              [](const ImageSeen& a, const ImageSeen& b) { return a.node < b.node; });
  }
};

}  // namespace

std::shared_ptr<const ContentKind> imageContent() {
  return std::make_shared<ImageContent>();
}

std::shared_ptr<const std::vector<ImageSeen>> imagesIn(const Contents& contents) {
  const auto seen = std::static_pointer_cast<const ImagesKnown>(contents.of("images"));
  return seen ? std::shared_ptr<const std::vector<ImageSeen>>(seen, &seen->images) : nullptr;
}

}  // namespace zt
