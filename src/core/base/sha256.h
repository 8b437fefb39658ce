// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace zt {

/// SHA-256 (FIPS 180-4), by OpenSSL. One thread at a time.
class Sha256 {
public:
  Sha256();
  ~Sha256();
  Sha256(const Sha256&) = delete;
  Sha256& operator=(const Sha256&) = delete;
  void add(std::span<const char> bytes);
  /// 64 hexadecimal digits of all that was added; begins anew.
  std::string finish();

private:
  struct State;
  std::unique_ptr<State> state_;
};

std::string sha256Of(std::string_view bytes);

}  // namespace zt
