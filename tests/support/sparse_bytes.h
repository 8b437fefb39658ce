// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstring>
#include <map>

#include "core/images/disk_bytes.h"

namespace zt::test {

/// Bytes at places of something very long; the rest is not stored.
class SparseBytes final : public DiskBytes {
public:
  explicit SparseBytes(Bytes length = 0) : length_(length) {}

  /// From text: eight bytes of length, then records of a place (8), a size (4) and so many bytes.
  static SparseBytes parse(std::string_view text) {
    const Fields f(text);
    SparseBytes all(f.le64(0) & 0x0fffffffffffffffull);
    for (std::size_t at = 8; at + 12 <= text.size();) {
      const std::size_t size = std::min<std::size_t>(f.le32(at + 8), text.size() - at - 12);
      all.put(f.le64(at), std::string(text.substr(at + 12, size)));
      at += 12 + size;
    }
    return all;
  }
  /// What `parse` reads; runs of zeros are left out.
  static std::string dump(DiskBytes& source, Bytes block = 512) {
    std::string text = little(source.length(), 8);
    for (Bytes at = 0; at < source.length(); at += block) {
      const auto bytes = bytesAt(source, at, std::min(block, source.length() - at)).value();
      if (bytes.find_first_not_of('\0') == std::string::npos) continue;
      text += little(at, 8) + little(bytes.size(), 4) + bytes;
    }
    return text;
  }

  void put(Bytes at, const std::string& bytes) {
    for (std::size_t i = 0; i < bytes.size();) {
      const Bytes page = (at + i) / pageSize;
      const auto within = static_cast<std::size_t>((at + i) % pageSize);
      const std::size_t size = std::min(bytes.size() - i, pageSize - within);
      if (at + i + size > length_) return;
      std::string& p = pages_[page];
      p.resize(pageSize);
      p.replace(within, size, bytes, i, size);
      i += size;
    }
  }
  void big(Bytes at, std::uint64_t value, std::size_t size) {
    std::string bytes = little(value, size);
    std::reverse(bytes.begin(), bytes.end());
    put(at, bytes);
  }
  void little(Bytes at, std::uint64_t value, std::size_t size) { put(at, little(value, size)); }

  Bytes length() const override { return length_; }
  Bytes read_ = 0;  ///< how many bytes were asked for
  Result<void> read(Bytes at, std::span<char> into) override {
    if (at > length_ || into.size() > length_ - at) return fail(Errc::corrupt, "image");
    read_ += into.size();
    std::memset(into.data(), 0, into.size());
    for (auto p = pages_.lower_bound(at / pageSize);
         p != pages_.end() && p->first * pageSize < at + into.size(); ++p) {
      const Bytes from = std::max(at, p->first * pageSize);
      const Bytes to = std::min(at + into.size(), (p->first + 1) * pageSize);
      std::memcpy(into.data() + (from - at), p->second.data() + (from - p->first * pageSize), to - from);
    }
    return {};
  }
  Result<Stretch> nextData(Bytes at) override {
    const auto p = pages_.lower_bound(at / pageSize);
    if (p == pages_.end() || at >= length_) return Stretch{};
    auto last = p;
    for (auto next = std::next(p); next != pages_.end() && next->first == last->first + 1; ++next)
      last = next;
    return Stretch{std::max(at, p->first * pageSize), std::min((last->first + 1) * pageSize, length_)};
  }

private:
  static constexpr std::size_t pageSize = 4096;
  static std::string little(std::uint64_t value, std::size_t size) {
    std::string bytes(size, '\0');
    for (std::size_t i = 0; i < size; ++i) bytes[i] = static_cast<char>(value >> (8 * i));
    return bytes;
  }
  Bytes length_;
  std::map<Bytes, std::string> pages_;
};

}  // namespace zt::test
