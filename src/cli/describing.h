// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace CLI {
class App;
}

namespace zt::cli {

/// What the verbs and options are called, told to a shell or to a manual page, from the same texts as --help.
/// bash(1), zshcompsys(1), fish-completions(7), man(7).
std::string bashCompletion(const CLI::App& app);
std::string zshCompletion(const CLI::App& app);
std::string fishCompletion(const CLI::App& app);
/// `page`: a manual page in which the line "@VERBS@" stands for them.
std::string manualPage(const CLI::App& app, const std::string& page);

}  // namespace zt::cli
