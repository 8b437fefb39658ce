// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "cli/app.h"
#include "core/base/json_reader.h"
#include "core/job/job.h"
#include "words/words.h"

namespace zt::cli {

/// Exit status, as documented in the manual page.
enum Exit : int { done = 0, failed = 1, usage = 2, partly = 3, refused = 4 };

/// What was given on the command line; each verb uses its part.
struct Arguments {
  bool json = false;
  std::string path;
  std::string job;
  unsigned threads = 0;
  bool standIn = false;
  bool everything = false;
  std::string folder;
  bool jobOnDrive = false;
  std::vector<std::string> targets;
  std::size_t top = 20;
  std::size_t depth = 1;
  std::vector<std::string> kinds;
  std::string ceiling;
  std::vector<std::string> keep;
  std::string output;
  std::string planFile;
  bool dryRun = false;
  std::string consent;
  std::int64_t run = 0;
  std::string question;
  std::string least;   ///< of match: shorter files are left out
  std::string keepBy;  ///< of match: rules by which one of equal files stays
  std::string sort = "occupied";
  std::string edit;                ///< add, drop, show, move; keep, may-go, not-now, clear
  std::vector<std::string> items;  ///< find ids or paths
  std::string action;
  std::vector<std::string> with;
  std::string to;
  std::string second;
  std::string prefer;  ///< propose: "least-regret", "fewest-steps"
  bool alternatives = false;
  bool untilMet = false;            ///< reclaim
  std::string until;                ///< prove: for so long at most
  std::string older;                ///< a rule on many: only things untouched for so long
  std::size_t newestStay = 0;       ///< so many of the newest stay
  std::vector<std::string> but;     ///< paths that stay
  std::string scenario = "office";  ///< of the demonstration
  std::string drive;                ///< a drive whose holds are meant, instead of a job
  std::string driveKind;
  std::string driveSize;
  int by = 0;
  bool markdown = false;
  bool withPoints = false;  ///< finds are planned with the snapshots that hold their bytes
  bool toPlan = false;      ///< of points: those that would go are put on the plan
};

int drives(Console& console, const Arguments& args);
int measureVerb(Console& console, const Arguments& args);
int tree(Console& console, const Arguments& args);
int finds(Console& console, const Arguments& args);
int matchVerb(Console& console, const Arguments& args);
int points(Console& console, const Arguments& args);
int mark(Console& console, const Arguments& args);
int proposeVerb(Console& console, const Arguments& args);
int plan(Console& console, const Arguments& args);
int reclaim(Console& console, const Arguments& args);
int proveVerb(Console& console, const Arguments& args);
int undo(Console& console, const Arguments& args);
int repay(Console& console, const Arguments& args);
int release(Console& console, const Arguments& args);
int list(Console& console, const Arguments& args);
int exportVerb(Console& console, const Arguments& args);
int importVerb(Console& console, const Arguments& args);
int demo(Console& console, const Arguments& args);
int places(Console& console, const Arguments& args);

/// The words of the command line.
const Words& words();
/// The exit status that belongs to an error.
Exit exitFor(const Error& error);
/// Says what went wrong and gives the exit status.
int report(Console& console, const Error& error);
/// Opens the job named on the command line and says what was recovered; nullptr (and `status`) if it cannot
/// be opened, or has no survey.
std::unique_ptr<Job> openJob(Console& console, const Arguments& args, int& status);
/// Tells on a terminal how far something has come, in one line that is written over.
class ProgressLine final : public ProgressSink {
public:
  enum class Of { accounting, reading };
  ProgressLine(Console& console, Of what) : console_(console), what_(what) {}
  ~ProgressLine() override;
  void report(const Progress& progress) override;
  /// A line of its own above; nothing where no progress is shown.
  void tell(const std::string& line);

private:
  Console& console_;
  Of what_;
  std::chrono::steady_clock::time_point begun_ = std::chrono::steady_clock::now();
  bool shown_ = false;
};

/// Prints one JSON document, bytes that are not UTF-8 replaced (paths are escaped before).
void print(Console& console, const Json& json);
/// A right-aligned amount of 10 columns.
std::string column(Bytes bytes);
std::string signedColumn(SignedBytes bytes);
/// Who keeps bytes of things from coming free, and what comes with the points that may go.
Json heldByJson(const FindContext& context, std::span<const Subject> items);
/// A consent with its sentences.
Json consentJson(const Consent& consent);
/// Prints what is to be agreed to, and the token.
int askConsent(Console& console, const Consent& consent, bool json, Json more = Json::object());

}  // namespace zt::cli
