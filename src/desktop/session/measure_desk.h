// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/session/session.h"

namespace zt::desktop {

/// What the stations ask that opens a place and reads it. How each goes is told by the signals of `Session`.
/// GUI thread.
class MeasureDesk final {
public:
  explicit MeasureDesk(Session& session) : session_(session) {}

  /// Where a job may be kept.
  struct Keeping {
    PathBytes file;  ///< empty: in memory only
    bool acceptOnDrive = false;
  };
  /// Opens a place. Asks by `onDriveRefused` if the job's file would lie on the drive.
  void openPlace(const PathBytes& path, bool standIn, const Keeping& keeping);
  void openJob(const PathBytes& file);
  /// Measures it all, or one folder of the survey again (path relative to the root). The rights that the
  /// survey was made with are kept; `everything` asks for them.
  void measure(bool everything);
  void measureFolder(const PathBytes& folder);
  /// Compares contents; the finds of it come with the view. Without `least` what is too short to matter is
  /// left out.
  void match(std::optional<Bytes> least = {});

private:
  using Measuring =
      std::function<Result<void>(Job&, const Measurer::Options&, std::stop_token, ProgressSink*)>;
  void postMeasuring(bool everything, bool watched, Measuring measuring);

  Session& session_;
};

}  // namespace zt::desktop
