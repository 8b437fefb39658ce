// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "cli/app.h"
#include "cli/words.h"

namespace zt::cli {

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
  std::string query;
  std::string sort = "occupied";
  std::string edit;                ///< add, drop, show
  std::vector<std::string> items;  ///< find ids or paths to add or drop
  std::string action = "discard";
};

int drives(Console& console, const Arguments& args);
int measureVerb(Console& console, const Arguments& args);
int tree(Console& console, const Arguments& args);
int finds(Console& console, const Arguments& args);
int proposeVerb(Console& console, const Arguments& args);
int plan(Console& console, const Arguments& args);
int reclaim(Console& console, const Arguments& args);
int proveVerb(Console& console, const Arguments& args);
int undo(Console& console, const Arguments& args);
int release(Console& console, const Arguments& args);
int list(Console& console, const Arguments& args);
int exportVerb(Console& console, const Arguments& args);
int importVerb(Console& console, const Arguments& args);
int demo(Console& console, const Arguments& args);

/// Says what went wrong and gives the exit status.
int report(Console& console, const Error& error);
/// Opens the job named on the command line and says what was recovered; nullptr (and `status`) if it cannot
/// be opened.
std::unique_ptr<Job> openJob(Console& console, const Arguments& args, int& status);
/// Prints one JSON document, bytes that are not UTF-8 replaced (paths are escaped before).
void print(Console& console, const nlohmann::json& json);
/// A right-aligned amount of 10 columns.
std::string column(Bytes bytes);

}  // namespace zt::cli
