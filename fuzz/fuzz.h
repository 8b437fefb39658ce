// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string_view>

// One function a target. With -DZT_FUZZ=ON (clang) each is a program of libFuzzer; in the tests the same
// functions replay the corpus in tests/corpus.
#ifdef ZT_LIBFUZZER
#define ZT_FUZZ(function)                                                             \
  extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) { \
    function({reinterpret_cast<const char*>(data), size});                            \
    return 0;                                                                         \
  }
#else
#define ZT_FUZZ(function)
#endif

void fuzzSurvey(std::string_view input);
void fuzzHelper(std::string_view input);
void fuzzRecords(std::string_view input);
void fuzzImages(std::string_view input);
