// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/glance.h"

#include <QBuffer>
#include <QImageReader>
#include <mutex>
#include <thread>

#include "core/base/apart.h"

namespace zt::desktop {

namespace {

constexpr QSize largest(1200, 800);
constexpr int mostMegabytes = 256;
constexpr int mostHanging = 4;

void unfold(Glimpse& seen) {
  QByteArray data =
      QByteArray::fromRawData(seen.peek.head.data(), static_cast<qsizetype>(seen.peek.head.size()));
  QBuffer buffer(&data);
  QImageReader reader(&buffer);
  QImageReader::setAllocationLimit(mostMegabytes);
  seen.size = reader.size();
  if (seen.size.isValid() && (seen.size.width() > largest.width() || seen.size.height() > largest.height()))
    reader.setScaledSize(seen.size.scaled(largest, Qt::KeepAspectRatio));
  seen.picture = reader.read();
}

Result<Glimpse> lookInto(const JobView& view, const PathBytes& path) {
  // What lies at that path on this machine is something else.
  if (view.closed) return fail(*view.closed, "look", path);
  if (!view.survey || !view.files) return fail(Errc::notThere, "look", path);
  const auto node = view.survey->tree.find(path);
  if (!node) return fail(Errc::notThere, "look", path);
  const auto root = view.files->openToRead(view.root);
  if (!root) return tl::unexpected(root.error());
  const bool picture = view.context->kind[*node] == FileKind::picture;
  auto seen = peek(*view.files, **root, *view.survey, *node, picture);
  if (!seen) return tl::unexpected(seen.error());
  Glimpse glimpse{std::move(*seen), {}, {}};
  if (glimpse.peek.form == Peek::Form::picture) unfold(glimpse);
  return glimpse;
}

}  // namespace

/// What the threads that look share with the one who asked. It outlives both.
struct Glance::Post {
  std::mutex mutex;
  Glance* to = nullptr;  ///< null when nobody waits any more
  std::uint64_t wanted = 0;
  int looking = 0;
};

Glance::~Glance() {
  if (!post_) return;
  const std::scoped_lock lock(post_->mutex);
  post_->to = nullptr;
}

void Glance::look(std::shared_ptr<const JobView> view, const PathBytes& path, Then then) {
  if (!post_) post_ = std::make_shared<Post>();
  std::unique_lock lock(post_->mutex);
  post_->to = this;
  const auto number = ++post_->wanted;
  const bool hangs = post_->looking >= mostHanging;
  if (!hangs) ++post_->looking;
  lock.unlock();  // who is answered at once may look again
  if (hangs) return then(fail(Errc::unanswered, "look", path));
  leaveBehind([post = post_, number, view = std::move(view), path, then = std::move(then)]() mutable {
    auto seen = std::make_shared<const Result<Glimpse>>(lookInto(*view, path));
    view.reset();
    const std::scoped_lock done(post->mutex);
    --post->looking;
    if (post->to == nullptr || post->wanted != number) return;
    QMetaObject::invokeMethod(
        post->to,
        [post, number, seen = std::move(seen), then = std::move(then)] {
          if (post->wanted == number) then(*seen);
        },
        Qt::QueuedConnection);
  });
}

}  // namespace zt::desktop
