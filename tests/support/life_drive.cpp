// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/life_drive.h"

#include <fcntl.h>
#include <linux/fs.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "support/run_program.h"

namespace zt::test {

namespace fs = std::filesystem;

namespace {

/// FNV-1a: of what is compared with itself only.
std::string checksumOf(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::uint64_t sum = 14695981039346656037ull;
  std::uint64_t length = 0;
  std::string piece(1 << 16, 0);
  while (in.read(piece.data(), std::ssize(piece)), in.gcount() > 0)
    for (std::streamsize i = 0; i < in.gcount(); ++i, ++length)
      sum = (sum ^ static_cast<unsigned char>(piece[static_cast<std::size_t>(i)])) * 1099511628211ull;
  return std::to_string(length) + ":" + std::to_string(sum);
}

void setFlag(const std::string& path, int flag, bool on) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW);
  int flags = 0;
  if (fd >= 0 && ::ioctl(fd, FS_IOC_GETFLAGS, &flags) == 0) {
    flags = on ? flags | flag : flags & ~flag;
    (void)::ioctl(fd, FS_IOC_SETFLAGS, &flags);
  }
  if (fd >= 0) ::close(fd);
}

void btrfsTool(std::vector<std::string> words) {
  words.insert(words.begin(), {program("btrfs"), "-q"});
  const Ran ran = runProgram(words);
  must(ran.status == 0, words[2] + ": " + ran.err);
}

}  // namespace

struct LifeDrive::Condition {
  const char* name;
  const char* types;  ///< of file systems
  void (LifeDrive::*make)();
  bool last;  ///< after all others
};

const std::vector<LifeDrive::Condition>& LifeDrive::all() {
  static const std::vector<Condition> conditions{
      {"attributes that files share", "ext4 xfs btrfs", &LifeDrive::sharedAttributes, false},
      {"large attributes", "xfs btrfs", &LifeDrive::largeAttributes, false},
      {"several names", "ext4 xfs btrfs", &LifeDrive::links, false},
      {"odd names and kinds", "ext4 xfs btrfs", &LifeDrive::oddNames, false},
      {"odd times", "ext4 xfs btrfs", &LifeDrive::oddTimes, false},
      {"holes", "ext4 xfs btrfs", &LifeDrive::holes, false},
      {"preallocated", "ext4 xfs btrfs", &LifeDrive::preallocated, false},
      {"written through a mapping", "ext4 xfs btrfs", &LifeDrive::mapped, false},
      {"immutable and append-only", "ext4 xfs btrfs", &LifeDrive::protectedFiles, false},
      {"open and deleted", "ext4 xfs btrfs", &LifeDrive::openFiles, false},
      {"dated series", "ext4 xfs btrfs", &LifeDrive::series, false},
      {"tiny files", "ext4 xfs btrfs", &LifeDrive::tiny, false},
      {"reflinks", "xfs btrfs", &LifeDrive::reflinks, false},
      {"snapshots", "btrfs", &LifeDrive::snapshots, false},
      {"nested subvolumes", "btrfs", &LifeDrive::nested, false},
      {"files not copied on write", "btrfs", &LifeDrive::uncopied, false},
      {"nothing synced", "ext4 xfs btrfs", &LifeDrive::unsynced, true},
      {"reserve used up", "ext4", &LifeDrive::reserveUsed, true},
      {"the last block taken", "ext4 xfs btrfs", &LifeDrive::lastBlock, true},
      {"no inodes left", "ext4", &LifeDrive::noInodes, true}};
  return conditions;
}

LifeDrive::LifeDrive(const std::string& type, unsigned seed) : type_(type), random_(seed) {
  using Words = std::vector<std::string>;
  static const std::map<std::string, std::vector<Words>> makes{
      {"ext4",
       {{},
        {"-b", "1024"},
        {"-O", "bigalloc,^resize_inode"},
        {"-O", "^has_journal"},
        {"-O", "inline_data"},
        {"-O", "ea_inode"},
        {"-m", "0"},
        {"-O", "meta_bg,^resize_inode"}}},
      {"xfs", {{}, {"-m", "reflink=0"}, {"-m", "rmapbt=1"}, {"-b", "size=1024"}, {"-m", "bigtime=1"}}},
      {"btrfs", {{}, {"-d", "dup"}, {"-m", "single"}}}};
  const auto& ways = makes.at(type);
  const Words& make = ways[random_() % ways.size()];
  const std::string mount = type == "btrfs" && random_() % 3 == 0 ? "compress=zstd" : "";
  const Bytes size = (type == "ext4" ? Bytes{96} : type == "xfs" ? Bytes{320} : Bytes{400}) << 20;
  drawn_ = type + (mount.empty() ? "" : " " + mount);
  for (const auto& word : make) drawn_ += " " + word;
  drive_ = std::make_unique<LoopDrive>(type, size, mount, make);
  if (!drive_->mounted()) return;
  fill();
  std::vector<const Condition*> fits;
  for (const Condition& c : all())
    if (std::string(c.types).find(type) != std::string::npos) fits.push_back(&c);
  std::shuffle(fits.begin(), fits.end(), random_);
  fits.resize(std::min<std::size_t>(fits.size(), 4 + random_() % 4));
  std::stable_sort(fits.begin(), fits.end(), [](auto* a, auto* b) { return a->last < b->last; });
  if (std::none_of(fits.begin(), fits.end(), [](auto* c) { return c->make == &LifeDrive::unsynced; }))
    ::sync();
  for (const Condition* c : fits) {
    drawn_ += std::string("; ") + c->name;
    (this->*c->make)();
  }
}

LifeDrive::~LifeDrive() {
  for (const pid_t child : children_) {
    ::kill(child, SIGKILL);
    ::waitpid(child, nullptr, 0);
  }
  for (const auto& path : immutable_) {
    setFlag(at(path), FS_IMMUTABLE_FL, false);
    setFlag(at(path), FS_APPEND_FL, false);
  }
}

template <class Work>
void LifeDrive::inChild(Work work) {
  int ready[2];
  must(::pipe2(ready, O_CLOEXEC) == 0, "pipe");
  const pid_t child = ::fork();
  if (child == 0) {
    work();
    (void)!::write(ready[1], "x", 1);
    for (;;) ::pause();
  }
  char byte = 0;
  (void)!::read(ready[0], &byte, 1);
  ::close(ready[0]), ::close(ready[1]);
  children_.push_back(child);
}

std::string LifeDrive::bytes(std::size_t size, bool packs) {
  std::string all(size, static_cast<char>('a' + random_() % 20));
  if (!packs)
    for (std::size_t i = 0; i + 4 <= size; i += 4) {
      const auto word = static_cast<std::uint32_t>(random_());
      std::memcpy(all.data() + i, &word, 4);
    }
  return all;
}

std::string LifeDrive::newFile(std::size_t size, bool packs) {
  const std::string name = folders_[random_() % folders_.size()] + "/f" + std::to_string(number_++);
  std::ofstream(at(name), std::ios::binary) << bytes(size, packs);
  files_.push_back(name);
  return name;
}

void LifeDrive::fill() {
  for (const char* name : {"work", "work/deep/er", "home/kim/letters", "home/kim/Pictures", "data"}) {
    fs::create_directories(at(name));
    folders_.emplace_back(name);
  }
  for (int i = 0; i < 60; ++i)
    newFile(random_() % 5 == 0 ? random_() % 3000 : 4096 + random_() % 300'000, i % 3 == 0);
  for (int i = 0; i < 5; ++i) {
    std::vector<std::string> group{newFile(40'000 + random_() % 200'000)};
    for (unsigned copies = 1 + random_() % 2; copies > 0; --copies) {
      const std::string to = folders_[random_() % folders_.size()] + "/c" + std::to_string(number_++);
      std::ofstream(at(to), std::ios::binary) << std::ifstream(at(group[0]), std::ios::binary).rdbuf();
      group.push_back(to);
      files_.push_back(to);
    }
    equals_.push_back(group);
  }
}

void LifeDrive::sharedAttributes() {
  std::string value = bytes(700, true);
  for (int i = 0; i < 40; ++i) {
    if (i % 10 == 0) value = bytes(700, true);
    const std::string name = newFile(5000);
    (void)::setxattr(at(name).c_str(), "user.note", value.data(), value.size(), 0);
    (void)::setxattr(at(name).c_str(), "user.more", value.data(), value.size(), 0);
  }
}

void LifeDrive::largeAttributes() {
  for (int i = 0; i < 20; ++i) {
    const std::string value = bytes(type_ == "xfs" ? 40'000 : 12'000);
    (void)::setxattr(at(newFile(6000)).c_str(), "user.large", value.data(), value.size(), 0);
  }
}

void LifeDrive::links() {
  for (int i = 0; i < 12; ++i) {
    const std::string from = any();
    const std::string to = folders_[random_() % folders_.size()] + "/l" + std::to_string(number_++);
    if (::link(at(from).c_str(), at(to).c_str()) == 0) files_.push_back(to);
  }
  const std::string many = newFile(60'000);
  fs::create_directories(at("data/names"));
  for (int i = 0; i < 300; ++i)
    (void)!::link(at(many).c_str(), at("data/names/n" + std::to_string(i)).c_str());
}

void LifeDrive::oddNames() {
  fs::create_directories(at("work/odd"));
  for (const std::string name : {"\xff\xfe raw", "new\nline", " blank ", "-rf", "\xe2\x80\xae turned"})
    std::ofstream(at("work/odd/" + name), std::ios::binary) << bytes(9000);
  (void)!::symlink("../deep", at("work/odd/link").c_str());
  (void)!::symlink("/nowhere/at/all", at("work/odd/lost").c_str());
  (void)::mkfifo(at("work/odd/fifo").c_str(), 0644);
  (void)::mknod(at("work/odd/socket").c_str(), S_IFSOCK | 0644, 0);
  files_.emplace_back("work/odd");
}

void LifeDrive::oddTimes() {
  for (int i = 0; i < 15; ++i) {
    const time_t when = i % 3 == 0 ? 0 : i % 3 == 1 ? 1'930'000'000 : -86'400 * 400;
    const timespec times[2] = {{when, 0}, {when, 1}};
    (void)::utimensat(AT_FDCWD, at(any()).c_str(), times, 0);
  }
}

void LifeDrive::holes() {
  for (const off_t length : {off_t{3'000'000}, off_t{1} << 38, off_t{1} << 43}) {
    const std::string name = newFile(0);
    const int fd = ::open(at(name).c_str(), O_RDWR | O_CLOEXEC);
    if (::ftruncate(fd, length) == 0) (void)!::pwrite(fd, "in the middle", 13, length / 2);
    ::close(fd);
  }
}

void LifeDrive::preallocated() {
  for (int i = 0; i < 6; ++i) {
    const std::string name = newFile(random_() % 20'000);
    const int fd = ::open(at(name).c_str(), O_RDWR | O_CLOEXEC);
    (void)::fallocate(fd, FALLOC_FL_KEEP_SIZE, 0, 200'000);
    ::close(fd);
  }
}

void LifeDrive::mapped() {
  const std::string name = newFile(0);
  const int fd = ::open(at(name).c_str(), O_RDWR | O_CLOEXEC);
  constexpr std::size_t length = 1'000'000;
  must(::ftruncate(fd, length) == 0, "ftruncate");
  void* const map = ::mmap(nullptr, length, PROT_READ | PROT_WRITE, MAP_SHARED, fd, 0);
  must(map != MAP_FAILED, "mmap");
  const std::string content = bytes(length / 2);
  std::memcpy(map, content.data(), content.size());
  ::munmap(map, length);
  ::close(fd);
}

void LifeDrive::protectedFiles() {
  for (int i = 0; i < 3; ++i) {
    const std::string name = newFile(100'000);
    setFlag(at(name), i == 2 ? FS_APPEND_FL : FS_IMMUTABLE_FL, true);
    immutable_.push_back(name);
  }
}

void LifeDrive::openFiles() {
  std::vector<std::string> held{newFile(400'000), newFile(300'000)};
  const std::string gone = newFile(500'000);
  files_.pop_back();
  inChild([&] {
    for (const auto& name : held) (void)!::open(at(name).c_str(), O_RDONLY);
    (void)!::open(at(gone).c_str(), O_RDWR);
  });
  ::unlink(at(gone).c_str());
}

/// What a backup by links makes: each folder shares with the one before what has not changed.
void LifeDrive::series() {
  fs::create_directories(at("data/backup"));
  std::string before;
  for (int day = 1; day <= 5; ++day) {
    const std::string folder = "data/backup/2025-03-0" + std::to_string(day);
    fs::create_directories(at(folder + "/tree"));
    for (int i = 0; i < 8; ++i) {
      const std::string name = "/tree/file" + std::to_string(i);
      const bool changed = before.empty() || i < 2;
      if (changed || ::link(at(before + name).c_str(), at(folder + name).c_str()) != 0)
        std::ofstream(at(folder + name), std::ios::binary) << bytes(30'000 + random_() % 50'000);
    }
    before = folder;
    if (day < 5) files_.push_back(folder);
  }
  newest_.push_back(before);
}

void LifeDrive::tiny() {
  fs::create_directories(at("work/tiny"));
  for (int i = 0; i < 150; ++i)
    std::ofstream(at("work/tiny/t" + std::to_string(i)), std::ios::binary) << bytes(random_() % 120);
  files_.emplace_back("work/tiny");
}

void LifeDrive::reflinks() {
  for (int i = 0; i < 8; ++i) {
    const std::string from = any();
    const int source = ::open(at(from).c_str(), O_RDONLY | O_CLOEXEC);
    const std::string to = newFile(0);
    const int copy = ::open(at(to).c_str(), O_RDWR | O_CLOEXEC);
    const bool shares = ::ioctl(copy, FICLONE, source) == 0;
    const off_t length = ::lseek(copy, 0, SEEK_END);
    // Overwritten a moment ago, and still in memory.
    if (const std::string other = bytes(20'000);
        shares && i % 2 == 0 && length > 60'000 && length < 10'000'000)
      (void)!::pwrite(copy, other.data(), other.size(), length / 3);
    ::close(copy), ::close(source);
  }
}

void LifeDrive::snapshots() {
  btrfsTool({"subvolume", "create", at("vol")});
  folders_.emplace_back("vol");
  for (int i = 0; i < 10; ++i) newFile(50'000 + random_() % 100'000);
  fs::create_directories(at("points"));
  for (int i = 0; i < 3; ++i) {
    btrfsTool({"subvolume", "snapshot", "-r", at("vol"), at("points/p" + std::to_string(i))});
    newFile(50'000), newFile(80'000);
    if (fs::exists(at(files_.back()))) fs::remove(at(files_.back())), files_.pop_back();
  }
  btrfsTool({"subvolume", "snapshot", at("points/p1"), at("points/writable")});
  std::ofstream(at("points/writable/new"), std::ios::binary) << bytes(70'000);
}

void LifeDrive::nested() {
  btrfsTool({"subvolume", "create", at("work/nested")});
  folders_.emplace_back("work/nested");
  for (int i = 0; i < 6; ++i) newFile(60'000);
  const std::string held = "work/nested/held";
  std::ofstream(at(held), std::ios::binary) << bytes(90'000);
  files_.push_back(held);
  inChild([&] { (void)!::open(at(held).c_str(), O_RDONLY); });
}

void LifeDrive::uncopied() {
  const std::string name = newFile(0);
  setFlag(at(name), FS_NOCOW_FL, true);
  std::ofstream(at(name), std::ios::binary) << bytes(300'000);
}

void LifeDrive::unsynced() {
  for (int i = 0; i < 12; ++i) newFile(50'000 + random_() % 300'000);
  const std::string cut = any();
  std::error_code ignored;
  if (fs::is_regular_file(at(cut), ignored)) fs::resize_file(at(cut), 10'000, ignored);
}

namespace {
/// Writes until `left` says that it is enough or nothing fits any more.
template <class Left>
void fillUp(const std::string& path, std::size_t piece, Left left) {
  const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC | O_APPEND, 0600);
  const std::string some(piece, 'f');
  while (left() && ::write(fd, some.data(), some.size()) > 0 && ::fsync(fd) == 0) continue;
  ::close(fd);
}
}  // namespace

void LifeDrive::reserveUsed() {
  fillUp(at("data/filling"), 256 << 10, [&] {
    struct statvfs v {};
    return ::statvfs(path().c_str(), &v) == 0 &&
           (v.f_bavail > 0 || v.f_bfree * v.f_frsize > (Bytes{2} << 20));
  });
}

void LifeDrive::lastBlock() {
  fillUp(at("data/filling"), 1 << 20, [] { return true; });
  fillUp(at("data/filling"), 4096, [] { return true; });
}

void LifeDrive::noInodes() {
  if (std::error_code full; !fs::create_directories(at("data/many"), full)) return;
  for (int i = 0;; ++i) {
    const int fd =
        ::open(at("data/many/n" + std::to_string(i)).c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    if (fd < 0) break;
    ::close(fd);
  }
}

std::vector<std::string> LifeDrive::pick(std::size_t count) {
  std::set<std::string> chosen;
  for (std::size_t i = 0; i < count; ++i) chosen.insert(any());
  return {chosen.begin(), chosen.end()};
}

std::map<std::string, std::string> LifeDrive::contents() const {
  std::map<std::string, std::string> all;
  for (const auto& e : fs::recursive_directory_iterator(path())) {
    const std::string name = e.path().string().substr(path().size() + 1);
    const auto kind = e.symlink_status().type();
    constexpr std::uintmax_t mostRead = 1 << 24;
    std::error_code failed;
    if (kind == fs::file_type::symlink)
      all[name] = "-> " + fs::read_symlink(e.path()).string();
    else if (kind == fs::file_type::regular)
      all[name] = e.file_size(failed) <= mostRead ? checksumOf(e.path().string()) : "large";
    else
      all[name] = std::to_string(static_cast<int>(kind));
  }
  return all;
}

}  // namespace zt::test
