// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/job/job.h"

namespace zt::cli {

/// Exit status, as documented in the manual page.
enum Exit : int { done = 0, failed = 1, usage = 2, partly = 3, refused = 4 };

/// What happened, to which item, and what to do; one line without a full stop at its end.
std::string sentence(const Error& error);
/// The exit status that belongs to an error.
Exit exitFor(const Error& error);

std::string title(const Find& find);
/// Why it is a find, in words.
std::string why(const Find& find);
std::string words(Standing standing);
std::string words(Regret regret);
std::string words(Errc problem);
/// How a line of the statement was obtained.
std::string words(LineSource source);
/// What a line is made of, with its amount.
std::string words(const StatementPart& part);

}  // namespace zt::cli
