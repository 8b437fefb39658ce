// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "cli/app.h"
#include "core/base/json_reader.h"
#include "core/job/job.h"
#include "core/query/answer.h"
#include "words/words.h"

namespace zt::cli {

/// Exit status, as documented in the manual page.
enum Exit : int { done = 0, failed = 1, usage = 2, partly = 3, refused = 4 };

/// What was given on the command line; each verb uses its part.
struct Arguments {
  std::string path;
  std::string job;
  unsigned threads = 0;
  std::string folder;
  std::vector<std::string> targets;
  std::size_t top = 20;
  std::size_t depth = 1;
  std::vector<std::string> kinds;
  std::string ceiling;
  std::vector<std::string> keep;
  std::string output;
  std::string planFile;
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
  std::string prefer;               ///< propose: "least-regret", "fewest-steps"
  std::string until;                ///< prove: for so long at most
  std::string older;                ///< a rule on many: only things untouched for so long
  std::size_t newestStay = 0;       ///< so many of the newest stay
  std::vector<std::string> but;     ///< paths that stay
  std::string scenario = "office";  ///< of the demonstration
  std::string drive;                ///< a drive whose holds are meant, instead of a job
  std::string driveKind;
  std::string driveSize;
  int by = 0;
  std::string other;  ///< compare: the later of the two
  std::string shop;   ///< sheet: whose it is
  std::string logo;   ///< sheet: a picture file
  std::string verb;   ///< upkeep: list, add, drop, run, install
  std::string every = "weekly";
  std::string at;     ///< "03:00"
  std::string below;  ///< amounts
  std::string cap;
  std::string most;
  std::string instead;  ///< upkeep add: the rule whose place it takes
  std::uint64_t mostThings = 0;
  bool json = false;
  bool standIn = false;
  bool everything = false;
  bool jobOnDrive = false;
  bool dryRun = false;
  bool alternatives = false;
  bool untilMet = false;  ///< reclaim
  bool markdown = false;
  bool withPoints = false;  ///< finds are planned with the snapshots that hold their bytes
  bool remember = false;    ///< sheet: name and logo are for all sheets from now on
  bool plain = false;       ///< sheet: without the annex
  bool personal = false;
  bool due = false;
  bool upgraded = false;
  bool same = false;     ///< drives
  bool another = false;  ///< drives
  bool mend = false;     ///< drives: the register
  bool notify = false;   ///< upkeep run
  bool whole = false;    ///< of the whole system, not of one user
  bool forget = false;   ///< history: its visits are forgotten
  bool toPlan = false;   ///< of points: those that would go are put on the plan
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
int compareVerb(Console& console, const Arguments& args);
int sheetVerb(Console& console, const Arguments& args);
int upkeepVerb(Console& console, const Arguments& args);
int historyVerb(Console& console, const Arguments& args);
int demo(Console& console, const Arguments& args);
int places(Console& console, const Arguments& args);

/// The words of the command line.
const Words& words();
/// A text of its own, in their language, with %1, %2… replaced.
inline std::string say(const char* text, std::initializer_list<std::string> values = {}) {
  return words().text(text, values);
}
/// What a question may be asked in: our words, and theirs.
QuestionWords theirQuestion(const FindContext& context, std::vector<std::string> findKinds = {});
/// Text in a column of so many letters, and what follows after at least one space.
std::string padded(const std::string& text, std::size_t letters);
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

/// Reads a survey that was exported, by the ending of its name.
Result<SurveyPtr> readExported(const std::string& path, std::string_view operation);
/// Prints one JSON document, bytes that are not UTF-8 replaced (paths are escaped before).
void print(Console& console, const Json& json);
/// A text over amounts.
std::string columnHead(const std::string& text);
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
