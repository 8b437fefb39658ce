// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/bytes.h"

#include <array>
#include <charconv>
#include <cmath>
#include <cstdio>

namespace zt {

namespace {

struct Unit {
  std::string_view name;
  double size;
};
constexpr std::array<Unit, 6> decimalUnits{
    {{"B", 1}, {"kB", 1e3}, {"MB", 1e6}, {"GB", 1e9}, {"TB", 1e12}, {"PB", 1e15}}};
constexpr std::array<Unit, 6> iecUnits{{{"B", 1},
                                        {"KiB", 1024.0},
                                        {"MiB", 1048576.0},
                                        {"GiB", 1073741824.0},
                                        {"TiB", 1099511627776.0},
                                        {"PiB", 1125899906842624.0}}};

/// The factor of a written unit, 0 if it is none. Case is not told apart but for the "i".
double factorOf(std::string_view unit) {
  auto same = [](std::string_view a, std::string_view b) {
    if (a.size() != b.size()) return false;
    for (std::size_t i = 0; i < a.size(); ++i)
      if (std::tolower(static_cast<unsigned char>(a[i])) != std::tolower(static_cast<unsigned char>(b[i])))
        return false;
    return true;
  };
  if (unit.empty()) return 1;
  for (const auto& u : decimalUnits)
    if (same(unit, u.name)) return u.size;
  for (const auto& u : iecUnits)
    if (same(unit, u.name)) return u.size;
  return 0;
}

}  // namespace

std::string formatBytes(Bytes bytes, UnitBase base) {
  const auto& units = base == UnitBase::decimal ? decimalUnits : iecUnits;
  const double step = base == UnitBase::decimal ? 1000.0 : 1024.0;
  const auto value = static_cast<double>(bytes);
  std::size_t at = 0;
  // The next unit is taken where rounding would otherwise print "1000.0".
  while (at + 1 < units.size() && value / units[at].size >= (at == 0 ? step : step - 0.05)) ++at;
  char text[48];
  const double shown = value / units[at].size;
  const int decimals = at == 0 || shown >= 99.95 ? 0 : 1;
  std::snprintf(text, sizeof text, "%.*f %.*s", decimals, shown, static_cast<int>(units[at].name.size()),
                units[at].name.data());
  return text;
}

std::string formatSigned(SignedBytes bytes, UnitBase base) {
  const Bytes size = bytes < 0 ? Bytes{0} - static_cast<Bytes>(bytes) : static_cast<Bytes>(bytes);
  return (bytes < 0 ? "\u2212" : "") + formatBytes(size, base);
}

Result<Bytes> parseAmount(std::string_view text, Bytes capacity) {
  const auto bad = [&] { return fail(Errc::badInput, "amount", {}, std::string(text)); };
  std::string_view rest = text;
  while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
  while (!rest.empty() && rest.back() == ' ') rest.remove_suffix(1);
  if (rest.empty() || rest.front() < '0' || rest.front() > '9' || rest.size() > 40) return bad();
  double number = 0;
  const char* const begin = rest.data();
  const auto [end, code] =
      std::from_chars(rest.data(), rest.data() + rest.size(), number, std::chars_format::fixed);
  if (code != std::errc{}) return bad();
  rest.remove_prefix(static_cast<std::size_t>(end - rest.data()));
  while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
  double amount = 0;
  if (rest == "%") {
    if (number > 100) return bad();
    amount = std::ceil(number / 100.0 * static_cast<double>(capacity));
  } else {
    const double factor = factorOf(rest);
    if (factor == 0) return bad();
    std::uint64_t whole = 0;
    const auto digits = std::from_chars(begin, end, whole);
    const auto exact = static_cast<unsigned __int128>(whole) * static_cast<std::uint64_t>(factor);
    if (digits.ec == std::errc{} && digits.ptr == end && exact > 0 && exact <= 9'200'000'000'000'000'000u)
      return static_cast<Bytes>(exact);  // whole numbers stay exact
    amount = std::round(number * factor);
  }
  if (!(amount >= 1) || amount > 9.2e18) return bad();
  return static_cast<Bytes>(amount);
}

}  // namespace zt
