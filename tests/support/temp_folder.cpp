// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/temp_folder.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <memory>
#include <sstream>

namespace zt::test {

namespace fs = std::filesystem;

namespace {

/// A test program, and what it runs, has a register and settings of its own: the user's are none of its
/// business, and drives are locked against other programs of one register.
class OwnHome final : public ::testing::Environment {
public:
  void SetUp() override {
    home_ = std::make_unique<TempFolder>();
    must(::chmod(home_->path().c_str(), 0755) == 0, home_->path());
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_DATA_HOME"})
      must(::setenv(name, home_->path().c_str(), 1) == 0, name);
  }
  void TearDown() override { home_.reset(); }

private:
  std::unique_ptr<TempFolder> home_;
};

const ::testing::Environment* const ownHome = ::testing::AddGlobalTestEnvironment(new OwnHome);

}  // namespace

void must(bool done, const std::string& what) {
  if (done) return;
  std::perror(("test set-up: " + what).c_str());
  std::abort();
}

TempFolder::TempFolder() {
  std::string pattern = (fs::temp_directory_path() / "zip-tally-test-XXXXXX").string();
  must(::mkdtemp(pattern.data()) != nullptr, pattern);
  path_ = fs::canonical(pattern).string();
}

TempFolder::~TempFolder() {
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

void TempFolder::folder(const std::string& name) const {
  fs::create_directories(path_ + "/" + name);
}

void TempFolder::file(const std::string& name, const std::string& content) const {
  const fs::path whole = path_ + "/" + name;
  fs::create_directories(whole.parent_path());
  std::ofstream out(whole, std::ios::binary);
  out << content;
  out.close();
  must(out.good(), whole.string());
}

void TempFolder::file(const std::string& name, Bytes size) const {
  file(name, std::string(size, 'x'));
}

void TempFolder::sparse(const std::string& name, Bytes size) const {
  file(name, std::string());
  must(::truncate((path_ + "/" + name).c_str(), static_cast<off_t>(size)) == 0, name);
}

void TempFolder::link(const std::string& from, const std::string& to) const {
  fs::create_directories(fs::path(path_ + "/" + to).parent_path());
  must(::link((path_ + "/" + from).c_str(), (path_ + "/" + to).c_str()) == 0, to);
}

void TempFolder::symlink(const std::string& target, const std::string& name) const {
  must(::symlink(target.c_str(), (path_ + "/" + name).c_str()) == 0, name);
}

void TempFolder::age(const std::string& name, double days) const {
  timespec when{};
  ::clock_gettime(CLOCK_REALTIME, &when);
  when.tv_sec -= static_cast<time_t>(days * 86400);
  const timespec times[2] = {when, when};
  must(::utimensat(AT_FDCWD, (path_ + "/" + name).c_str(), times, AT_SYMLINK_NOFOLLOW) == 0, name);
}

bool TempFolder::has(const std::string& name) const {
  return fs::exists(fs::symlink_status(path_ + "/" + name));
}

std::string TempFolder::read(const std::string& name) const {
  std::ifstream in(path_ + "/" + name, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

}  // namespace zt::test
