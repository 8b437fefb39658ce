// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <sys/types.h>

#include <map>
#include <memory>
#include <random>
#include <set>
#include <string>
#include <vector>

#include "support/loop_drive.h"

namespace zt::test {

/// A drive as people bring it: a real file system with some files, and four or more conditions drawn by lot
/// of those in docs/drives.md. The same seed draws the same.
class LifeDrive {
public:
  /// `type`: ext4, xfs or btrfs.
  LifeDrive(const std::string& type, unsigned seed);
  ~LifeDrive();
  LifeDrive(const LifeDrive&) = delete;
  LifeDrive& operator=(const LifeDrive&) = delete;

  LoopDrive& drive() { return *drive_; }
  const std::string& path() const { return drive_->path(); }
  /// What was drawn, in words.
  const std::string& drawn() const { return drawn_; }
  /// Paths from its top, of files and folders that a person could pick.
  std::vector<std::string> pick(std::size_t count);
  /// Groups of equal files, of which the drive must keep one each.
  const std::vector<std::vector<std::string>>& equals() const { return equals_; }
  /// The newest of its dated series.
  const std::vector<std::string>& newest() const { return newest_; }

  /// All entries by path, with what they hold: a checksum, the aim of a link, the kind.
  std::map<std::string, std::string> contents() const;

private:
  struct Condition;
  static const std::vector<Condition>& all();
  void fill();
  std::string at(const std::string& name) const { return path() + "/" + name; }
  std::string bytes(std::size_t size, bool packs = false);
  std::string newFile(std::size_t size, bool packs = false);
  std::string& any() { return files_[random_() % files_.size()]; }
  /// A process that does `work` and then waits until the drive goes.
  template <class Work>
  void inChild(Work work);

  void sharedAttributes();
  void largeAttributes();
  void links();
  void oddNames();
  void oddTimes();
  void holes();
  void preallocated();
  void mapped();
  void protectedFiles();
  void openFiles();
  void series();
  void tiny();
  void reflinks();
  void snapshots();
  void nested();
  void uncopied();
  void unsynced();
  void reserveUsed();
  void lastBlock();
  void noInodes();

  std::string type_;
  std::mt19937 random_;
  std::unique_ptr<LoopDrive> drive_;
  std::string drawn_;
  std::vector<std::string> folders_;
  std::vector<std::string> files_;
  std::vector<std::vector<std::string>> equals_;
  std::vector<std::string> newest_;
  std::vector<std::string> immutable_;
  std::vector<pid_t> children_;
  int number_ = 0;
};

}  // namespace zt::test
