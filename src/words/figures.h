// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <initializer_list>
#include <span>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"

namespace zt {

/// How figures are written: by one locale everywhere.
struct NumberStyle {
  UnitBase base = UnitBase::decimal;
  std::string point = ".";  ///< before the decimals
  std::string group = ",";  ///< between thousands
};

/// Figures, dates and paths, and what all words are made with.
class Figures {
public:
  /// Gives a text in their language; with a second one, that of `count` things, by their language's rules.
  using Translate = std::function<std::string(const char* text, const char* many, std::uint64_t count)>;
  std::string bytes(Bytes amount) const;
  std::string signedBytes(SignedBytes amount) const;
  std::string exact(Bytes amount) const;          ///< "9,600,000,000 B"
  std::string number(std::uint64_t count) const;  ///< "9,600"
  std::string decimal(double value, int decimals) const;
  std::string baseNote() const;  ///< "1 GB = 10⁹ B"
  std::string age(TimeNs then, TimeNs now) const;
  std::string date(TimeNs when) const;             // "2026-11-29" (UTC)
  std::string ago(TimeNs then, TimeNs now) const;  // "today", "3 months ago"
                                                   ///< "3 years", "today"
  std::string things(std::uint64_t count) const;   ///< "1 thing", "8 things"
  std::string entries(std::uint64_t count) const;  ///< "1 entry", "8 entries"
  std::string rows(std::uint64_t count) const;     ///< "1 row", "8 rows"
  std::string groups(std::uint64_t count) const;   ///< "1 group", "8 groups"
  std::string files(std::uint64_t count) const;    ///< "1 file", "8 files"
  std::string path(std::string_view bytes) const;  ///< escaped for showing; "/" for the root

protected:
  Figures(NumberStyle style, Translate translate);
  ~Figures() = default;
  Figures(const Figures&) = default;
  Figures(Figures&&) = default;
  Figures& operator=(const Figures&) = default;
  Figures& operator=(Figures&&) = default;
  std::string t(const char* text) const {
    return translate_ ? translate_(text, nullptr, 0) : std::string(text);
  }
  /// A text that the catalogue of places has; empty stays empty.
  std::string said(const std::string& text) const { return text.empty() ? text : t(text.c_str()); }
  /// The text with %1, %2… replaced.
  std::string t(const char* text, std::initializer_list<std::string> values) const;
  /// A text for so many: %1 is the count, and what follows comes after it.
  std::string counted(std::uint64_t count, const char* one, const char* many,
                      std::initializer_list<std::string> values = {}) const;

private:
  static std::string filled(const std::string& pattern, std::span<const std::string> values);
  NumberStyle style_;
  Translate translate_;
};

}  // namespace zt
