// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fcntl.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <random>

#include "core/os/paths.h"
#include "support/loop_drive.h"
#include "support/run_program.h"

namespace zt::test {

namespace fs = std::filesystem;

/// Calls the program `btrfs`; ends the test if it fails.
inline void btrfs(std::vector<std::string> words) {
  words.insert(words.begin(), {"/usr/bin/btrfs", "-q"});
  const Ran ran = runProgram(words);
  must(ran.status == 0, words[2] + ": " + ran.err);
}

/// What somebody did with a drive over some weeks.
class History {
public:
  History(std::string top, bool snapshots, bool reflinks, unsigned seed)
      : top_(std::move(top)), snapshots_(snapshots), reflinks_(reflinks), random_(seed) {}

  void live() {
    for (int i = 0; i < 4; ++i) fs::create_directories(top_ + "/d" + std::to_string(i));
    if (snapshots_) {
      btrfs({"subvolume", "create", top_ + "/vol"});
      btrfs({"subvolume", "create", top_ + "/vol/nested"});
      fs::create_directories(top_ + "/points");
      folders_ = {"d0", "d1", "d2", "d3", "vol", "vol/nested"};
    }
    for (int i = 0; i < 120; ++i) step();
    ::sync();
  }
  std::vector<PathBytes> someFiles() {
    std::vector<PathBytes> chosen;
    for (const auto& f : files_)
      if (random_() % 3 == 0) chosen.push_back(f);
    return chosen;
  }
  bool coin() { return random_() % 2 == 0; }
  const std::vector<std::string>& points() const { return points_; }

private:
  std::string content(std::size_t size, bool packs) {
    std::string bytes(size, 'a');
    if (!packs)
      for (char& c : bytes) c = static_cast<char>(random_());
    return bytes;
  }
  const std::string& any() { return files_[random_() % files_.size()]; }
  std::string newName() {
    files_.push_back(folders_[random_() % folders_.size()] + "/f" + std::to_string(number_++));
    return top_ + "/" + files_.back();
  }
  void step() {
    const auto what = random_() % 10;
    if (files_.empty() || what < 3) return write();
    if (what == 3 && reflinks_) return share();
    if (what == 4) return overwrite();
    if (what == 5) return link();
    if ((what == 6 || what == 9) && files_.size() > 10) return remove();
    if (what == 7 && snapshots_ && points_.size() < 8) return snapshot();
    if (what == 8 && reflinks_) return shareHalf();
    write();
  }
  void write() {
    const bool packs = random_() % 3 == 0;
    const std::size_t size = random_() % 4 == 0 ? random_() % 1500 : 4096 + random_() % 600'000;
    const std::string name = newName();
    std::ofstream(name, std::ios::binary) << content(size, packs);
  }
  void overwrite() {
    const int fd = ::open((top_ + "/" + any()).c_str(), O_RDWR | O_CLOEXEC);
    const auto size = ::lseek(fd, 0, SEEK_END);
    const std::string bytes = content(4096 + random_() % 60'000, random_() % 2 == 0);
    must(::pwrite(fd, bytes.data(), bytes.size(), size / 3) == std::ssize(bytes), "overwrite");
    ::fsync(fd);
    ::close(fd);
  }
  void share() {
    const int from = ::open((top_ + "/" + any()).c_str(), O_RDONLY | O_CLOEXEC);
    const int to = ::open(newName().c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    must(::ioctl(to, FICLONE, from) == 0, "clone");
    ::close(from), ::close(to);
  }
  void shareHalf() {
    const int from = ::open((top_ + "/" + any()).c_str(), O_RDONLY | O_CLOEXEC);
    const auto size = static_cast<Bytes>(::lseek(from, 0, SEEK_END));
    const int to = ::open(newName().c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    file_clone_range range{};
    range.src_fd = from;
    range.src_offset = size / 4 / 4096 * 4096;
    range.src_length = size / 2 / 4096 * 4096;
    if (range.src_length > 0) (void)::ioctl(to, FICLONERANGE, &range);
    const std::string own = content(20'000, false);
    must(::pwrite(to, own.data(), own.size(), static_cast<off_t>(range.src_length)) == std::ssize(own),
         "write");
    ::close(from), ::close(to);
  }
  void link() {
    const std::string from = any();
    const std::string to = std::string(parentPath(from)) + "/l" + std::to_string(number_++);
    std::error_code failed;
    fs::create_hard_link(top_ + "/" + from, top_ + "/" + to, failed);
    if (!failed) files_.push_back(to);
  }
  void remove() {
    const std::size_t i = random_() % files_.size();
    fs::remove(top_ + "/" + files_[i]);
    files_.erase(files_.begin() + static_cast<std::ptrdiff_t>(i));
  }
  void snapshot() {
    const std::string of = random_() % 2 == 0 ? "" : "/vol";
    points_.push_back("points/p" + std::to_string(number_++));
    btrfs({"subvolume", "snapshot", "-r", top_ + of, top_ + "/" + points_.back()});
  }

  std::string top_;
  bool snapshots_, reflinks_;
  std::mt19937_64 random_;
  std::vector<std::string> folders_{"d0", "d1", "d2", "d3"};
  std::vector<std::string> files_;
  std::vector<std::string> points_;
  int number_ = 0;
};

/// XFS gives bytes back on its own time.
inline void waitForCounter(const std::string& path) {
  Bytes last = 0;
  for (int quiet = 0, tries = 0; quiet < 4 && tries < 100; ++tries) {
    const Bytes now = freeOn(path);
    quiet = now == last ? quiet + 1 : 0;
    last = now;
    ::usleep(20'000);
  }
}

}  // namespace zt::test
