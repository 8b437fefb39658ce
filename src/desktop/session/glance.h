// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QObject>

#include "core/finds/peek.h"
#include "desktop/session/job_view.h"

namespace zt::desktop {

/// What a look into a file showed.
struct Glimpse {
  Peek peek;
  QImage picture;  ///< null where it is none, or cannot be read; no larger than a window
  QSize size;      ///< of the picture in the file, pixels
};

/// Looks into files beside the work at hand. Only the latest look is answered. A drive that does not answer
/// holds up neither what is looked at next nor the end of the program. GUI thread.
class Glance final : public QObject {
public:
  using Then = std::function<void(const Result<Glimpse>&)>;
  Glance() = default;
  ~Glance() override;
  /// `then` gets what was seen, or why nothing was: as peek() says, why the place is closed, and unanswered
  /// where looks before it still hang.
  void look(std::shared_ptr<const JobView> view, const PathBytes& path, Then then);

private:
  struct Post;
  std::shared_ptr<Post> post_;
};

}  // namespace zt::desktop
