// SPDX-License-Identifier: GPL-3.0-or-later
// VDI 1.1 by the header as QEMU's block/vdi.c and its users document it.
#include <absl/container/flat_hash_set.h>

#include "core/images/parent_images.h"

namespace zt {

Result<DiskImage> readVdi(DiskBytes& file, const std::stop_token& stop) {
  if (file.length() < 512) return fail(Errc::notOurs, "image");
  const auto head = bytesAt(file, 0, 512);
  if (!head) return tl::unexpected(head.error());
  const Fields header(*head);
  constexpr std::uint32_t magic = 0xbeda107f, nowhere = 0xffffffff, zeros = 0xfffffffe;
  if (header.le32(0x40) != magic) return fail(Errc::notOurs, "image");
  if (header.le32(0x44) >> 16 != 1) return fail(Errc::unsupported, "image", {}, "version");
  DiskImage image;
  image.format = "vdi";
  image.guestLength = header.le64(0x170);
  image.unit = header.le32(0x178);
  constexpr std::uint32_t differencing = 4;
  if (header.le32(0x4c) == differencing) image.backing = vdiName(head->substr(0x1a8, 16));
  const Bytes blocks = header.le32(0x180);
  const Bytes dataAt = header.le32(0x158);
  const bool power = image.unit != 0 && (image.unit & (image.unit - 1)) == 0;
  if (!power || image.unit < 4096 || image.unit > (Bytes{256} << 20)) return damaged("block size");
  if (blocks > (Bytes{1} << 24)) return damaged("size of the table");
  const auto table = bytesAt(file, header.le32(0x154), blocks * 4);
  if (!table) return tl::unexpected(table.error());
  RunList runs(image);
  absl::flat_hash_set<std::uint32_t> seen;
  for (Bytes i = 0; i < blocks; ++i) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "image");
    const std::uint32_t at = Fields(*table).le32(i * 4);
    if (at == nowhere || at == zeros) continue;
    const Bytes place = dataAt + Bytes{at} * image.unit;
    if (place >= file.length()) return damaged("block's place");
    if (!seen.insert(at).second) return damaged("two blocks in one place");
    if (!runs.add({i * image.unit, image.unit, place, 0, GuestRun::Kind::stored}))
      return damaged("too many runs");
  }
  return image;
}

}  // namespace zt
