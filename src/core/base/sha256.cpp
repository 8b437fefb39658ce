// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/sha256.h"

#include <openssl/evp.h>

#include <array>
#include <new>

namespace zt {

struct Sha256::State {
  struct Free {
    void operator()(EVP_MD_CTX* context) const { EVP_MD_CTX_free(context); }
  };
  std::unique_ptr<EVP_MD_CTX, Free> context{EVP_MD_CTX_new()};
  void begin() {
    if (!context || EVP_DigestInit_ex(context.get(), EVP_sha256(), nullptr) != 1) throw std::bad_alloc();
  }
};

Sha256::Sha256() : state_(std::make_unique<State>()) {
  state_->begin();
}
Sha256::~Sha256() = default;

void Sha256::add(std::span<const char> bytes) {
  EVP_DigestUpdate(state_->context.get(), bytes.data(), bytes.size());
}

std::string Sha256::finish() {
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned size = 0;
  EVP_DigestFinal_ex(state_->context.get(), digest.data(), &size);
  state_->begin();
  constexpr std::string_view digits = "0123456789abcdef";
  std::string text;
  for (unsigned i = 0; i < size; ++i) text += {digits[digest[i] >> 4], digits[digest[i] & 15]};
  return text;
}

std::string sha256Of(std::string_view bytes) {
  Sha256 hash;
  hash.add(bytes);
  return hash.finish();
}

}  // namespace zt
