// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/drive.h"

#include <gtest/gtest.h>

#include "core/drive/target.h"
#include "core/job/sites/stand_in_drive.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

Mount mount(const std::string& source, const std::string& target, std::uint64_t device,
            const std::string& root = "/") {
  Mount m;
  m.id = device;
  m.device = device;
  m.source = source;
  m.target = target;
  m.root = root;
  m.fsType = "ext4";
  return m;
}

struct Machine {
  MemoryFileSystem files;
  FakeMounts mounts;
  FakeOpenFiles open;
  FakeClock clock;
  LinuxDriveInsides insides;
  NoRights privileged;
  System system{borrowed(files), borrowed(mounts),  borrowed(open),
                borrowed(clock), borrowed(insides), borrowed(privileged)};
};

TEST(ListDrives, TakesBindMountsAndSubvolumesAsOneAndLeavesPseudoOut) {
  Machine m;
  for (const char* f : {"mnt/data/", "mnt/bound/", "proc/"}) m.files.add(f);
  m.mounts.table = {mount("/dev/sda1", "/", 1), mount("/dev/sdb1", "/mnt/bound", 2, "/sub"),
                    mount("/dev/sdb1", "/mnt/data", 2), mount("proc", "/proc", 3)};
  m.mounts.table[3].pseudo = true;
  const auto drives = listDrives(m.system);
  ASSERT_TRUE(drives);
  ASSERT_EQ(drives->size(), 2u);
  EXPECT_EQ((*drives)[1].target, "/mnt/data");
  EXPECT_EQ((*drives)[1].alsoAt, (std::vector<PathBytes>{"/mnt/bound"}));
}

TEST(ListDrives, KnowsRoleKindAndSystem) {
  Machine m;
  m.files.add("mnt/pc/etc/os-release", "NAME=\"Harbour\"\nPRETTY_NAME=\"Harbour Linux 12\"\n");
  m.files.add("mnt/win/Windows/System32/");
  m.files.add("boot/efi/");
  m.files.add("mnt/stick/");
  m.mounts.table = {mount("/dev/sda2", "/mnt/pc", 1), mount("/dev/sdb1", "/mnt/win", 2),
                    mount("/dev/sda1", "/boot/efi", 3), mount("/dev/sdc1", "/mnt/stick", 4)};
  m.mounts.known["/dev/sda2"].known = true;
  DeviceFacts& old = m.mounts.known["/dev/sdb1"];
  old.label = "OLD PC";
  old.uuid = "1234";
  old.known = old.rotating = true;
  DeviceFacts& card = m.mounts.known["/dev/sdc1"];
  card.label = "CARD";
  card.known = card.removable = true;
  const auto drives = listDrives(m.system).value();
  ASSERT_EQ(drives.size(), 4u);
  EXPECT_EQ(drives[0].role, DriveRole::system);
  EXPECT_EQ(drives[0].kind, DriveKind::solidState);
  EXPECT_EQ(drives[0].systemName, "Harbour Linux 12");
  EXPECT_EQ(drives[1].family(), SystemFamily::nt);
  EXPECT_EQ(drives[1].kind, DriveKind::rotating);
  EXPECT_EQ(drives[1].id, "1234");
  EXPECT_EQ(drives[2].role, DriveRole::boot);
  EXPECT_EQ(drives[3].role, DriveRole::removable);
}

TEST(HeadroomRules, DifferByKind) {
  Drive d;
  d.usage.capacity = 256'000'000'000;
  d.kind = DriveKind::solidState;
  const auto rules = headroomRules(d);
  ASSERT_EQ(rules.size(), 3u);
  EXPECT_EQ(rules[0].bytes, 25'600'000'000u);
  EXPECT_EQ(rules[1].origin, TargetOrigin::quarterSolidState);
  EXPECT_EQ(rules[2].bytes, 10'000'000'000u);
  EXPECT_EQ(hardest(rules), nullptr) << "rules are shown, and chosen by the shop";
  d.kind = DriveKind::rotating;
  EXPECT_EQ(headroomRules(d)[1].origin, TargetOrigin::fifteenRotating);
}

TEST(UrgencyOf, SpeaksUpInTimeButNotForDrivesFullByDesign) {
  Drive d;
  d.usage.capacity = 256'000'000'000;
  d.usage.available = 300'000'000;
  EXPECT_EQ(urgencyOf(d, {}), Urgency::emergency);
  d.usage.available = 12'000'000'000;
  EXPECT_EQ(urgencyOf(d, headroomRules(d)), Urgency::cramped);
  d.usage.available = 200'000'000'000;
  EXPECT_EQ(urgencyOf(d, headroomRules(d)), Urgency::fine);
  d.usage.available = 1000;
  d.role = DriveRole::recovery;
  EXPECT_EQ(urgencyOf(d, {}), Urgency::fullByDesign);
}

TEST(ListDrives, LeavesOutADriveThatDoesNotAnswer) {
  Machine m;
  m.files.add("mnt/data/");
  m.mounts.table = {mount("/dev/sda1", "/mnt/data", 1), mount("/dev/sdb1", "/mnt/gone", 2)};
  const auto drives = listDrives(m.system).value();
  ASSERT_EQ(drives.size(), 1u);
  EXPECT_EQ(drives[0].target, "/mnt/data");
}

TEST(DriveOf, TakesTheInnermostMount) {
  Machine m;
  for (const char* f : {"mnt/a/b/c/", "mnt/abc/"}) m.files.add(f);
  m.mounts.table = {mount("/dev/sda1", "/", 1), mount("/dev/sdb1", "/mnt/a", 2),
                    mount("/dev/sdc1", "/mnt/a/b", 3)};
  EXPECT_EQ(driveOf(m.system, "/mnt/a/b/c")->source, "/dev/sdc1");
  EXPECT_EQ(driveOf(m.system, "/mnt/a")->source, "/dev/sdb1");
  EXPECT_EQ(driveOf(m.system, "/mnt/abc")->source, "/dev/sda1");
  m.mounts.table.clear();
  EXPECT_EQ(codeOf(driveOf(m.system, "/mnt")), Errc::notThere);
}

TEST(Names, OfRolesKindsAndFamiliesAreStable) {
  EXPECT_EQ(name(DriveRole::recovery), "recovery");
  EXPECT_EQ(name(DriveKind::solidState), "solid-state");
  EXPECT_EQ(name(SystemFamily::linuxFamily), "linux");
  EXPECT_EQ(name(TargetOrigin::quarterSolidState), "quarter-solid-state");
  EXPECT_EQ(name(Urgency::fullByDesign), "full-by-design");
}

constexpr const char* manifest =
    R"({"format":"zip-tally-stand-in","version":1,"id":"t","name":"test","role":"system","kind":"solid-state",
 "fs_type":"ext4","capacity_bytes":1000000000,"overhead_bytes":1000,"reserved_bytes":500,
 "holes":[{"path":"image","occupied_bytes":4096}],"open_files":[{"path":"busy","holder":"editor"}],
 "targets":[{"label":"upgrade","amount":"20%"}]})";

TEST(StandIn, CountsLengthButForDeclaredHoles) {
  Machine m;
  m.files.add("si/manifest.json", manifest);
  m.files.add("si/drive/file", std::string(10'000, 'x'));
  m.files.add("si/drive/image", std::string(90'000, 'x'));
  m.files.add("si/drive/busy", "b");
  m.files.link("si/drive/file", "si/drive/again");
  auto drive = StandInDrive::open(m.system, "si").value();
  const auto root = drive->openRoot(drive->root()).value();
  EXPECT_EQ(drive->stat(*root, "file")->occupied, 10'000u);
  EXPECT_EQ(drive->stat(*root, "image")->occupied, 4096u);
  const auto usage = drive->usage(*root).value();
  EXPECT_EQ(usage.free, 1'000'000'000u - 1000 - 10'000 - 4096 - 1 - 4096);
  EXPECT_EQ(usage.reserved(), 500u);
  EXPECT_EQ(drive->list()->files.back().holder, "editor");
  EXPECT_EQ(drive->manifest().targets[0].bytes, 200'000'000u);
  ASSERT_TRUE(drive->unlink(*root, "image"));
  EXPECT_EQ(drive->usage(*root)->free, usage.free + 4096) << "free space follows what is really there";
}

TEST(StandIn, RefusesManifestsThatAreNone) {
  EXPECT_EQ(codeOf(parseStandIn("")), Errc::notOurs);
  EXPECT_EQ(codeOf(parseStandIn("[]")), Errc::notOurs);
  EXPECT_EQ(codeOf(parseStandIn(R"({"format":"zip-tally-stand-in","version":2})")), Errc::tooNew);
  EXPECT_EQ(parseStandIn(R"({"format":"zip-tally-stand-in","version":1,"id":"x","capacity_bytes":-4})")
                .error()
                .code,
            Errc::badInput);
  const std::string good = manifest;
  ASSERT_TRUE(parseStandIn(good));
  for (std::size_t size = 0; size < good.size(); ++size)
    EXPECT_FALSE(parseStandIn(good.substr(0, size))) << size;
}

TEST(StandIn, IsNeverObeyedUnasked) {
  Machine m;
  m.files.add("si/manifest.json", manifest);
  m.files.add("si/drive/file", "x");
  m.mounts.table = {mount("/dev/sda1", "/", 1)};
  EXPECT_FALSE(driveOf(m.system, "/si")->standIn);
}

}  // namespace
}  // namespace zt::test
