// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/record.h"
#include "core/os/file_system.h"

namespace zt {

/// Bytes [from, to) of something.
struct Stretch {
  Bytes from = 0;
  Bytes to = 0;
  bool empty() const { return from >= to; }
  Bytes size() const { return empty() ? 0 : to - from; }
  bool operator==(const Stretch&) const = default;
};

/// Something that can be read by offsets: a file, a guest's disk, one of its partitions. One thread at a
/// time.
class DiskBytes {
public:
  virtual ~DiskBytes() = default;
  virtual Bytes length() const = 0;
  /// Reads all of it; fails with corrupt where it would lead beyond the end, and as reading does.
  virtual Result<void> read(Bytes at, std::span<char> into) = 0;
  /// The next stretch that is stored, at or after an offset; empty where none follows. What is not stored
  /// reads as zeros.
  virtual Result<Stretch> nextData(Bytes at) = 0;
};

/// A file of the drive.
class FileSource final : public DiskBytes {
public:
  FileSource(OpenedFile& file, Bytes length) : file_(file), length_(length) {}
  Bytes length() const override { return length_; }
  Result<void> read(Bytes at, std::span<char> into) override;
  Result<Stretch> nextData(Bytes at) override;

private:
  OpenedFile& file_;
  Bytes length_;
};

/// A part of another source. What leads beyond the whole is cut off.
class PartSource final : public DiskBytes {
public:
  PartSource(DiskBytes& whole, Stretch part);
  Bytes length() const override { return part_.size(); }
  Result<void> read(Bytes at, std::span<char> into) override;
  Result<Stretch> nextData(Bytes at) override;

private:
  DiskBytes& whole_;
  Stretch part_;
};

/// So many bytes from an offset; zeros, unread, where nothing is stored. Fails with corrupt for more than
/// 64 MiB.
Result<std::string> bytesAt(DiskBytes& source, Bytes at, Bytes size);
/// Whether nothing is stored of a stretch.
Result<bool> isHole(DiskBytes& source, Stretch stretch);

bool allZeros(std::span<const char> bytes);

/// What a record says cannot be: of `what`, for a person who knows the format.
tl::unexpected<Error> damaged(std::string_view what);

/// Adds a stretch behind those before it, joined where they touch.
void append(std::vector<Stretch>& all, Stretch next);
/// How many bytes two sorted lists have in common, counting only whole units of the common parts (aligned to
/// multiples of `unit`).
Bytes common(const std::vector<Stretch>& a, const std::vector<Stretch>& b, Bytes unit);

}  // namespace zt
