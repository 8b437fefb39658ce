// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/bytes.h"
#include "core/base/clock.h"

namespace zt::test {

/// A folder of its own for a test, gone afterwards. Verbs for what a test needs on disk; each aborts the test
/// program if it cannot.
class TempFolder {
public:
  TempFolder();
  ~TempFolder();
  TempFolder(const TempFolder&) = delete;
  TempFolder& operator=(const TempFolder&) = delete;

  const std::string& path() const { return path_; }
  std::string operator/(const std::string& name) const { return path_ + "/" + name; }
  void folder(const std::string& name) const;
  void file(const std::string& name, const std::string& content) const;
  void file(const std::string& name, Bytes size) const;    ///< filled
  void sparse(const std::string& name, Bytes size) const;  ///< holes only
  void link(const std::string& from, const std::string& to) const;
  void symlink(const std::string& target, const std::string& name) const;
  void age(const std::string& name, double days) const;  ///< sets the modification time back from now
  bool has(const std::string& name) const;
  std::string read(const std::string& name) const;

private:
  std::string path_;
};

/// Checks a step of a test's set-up; ends the program with the reason if it failed.
void must(bool done, const std::string& what);

}  // namespace zt::test
