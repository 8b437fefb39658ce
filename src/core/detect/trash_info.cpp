// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/trash_info.h"

#include <algorithm>
#include <cctype>
#include <cstdio>
#include <ctime>

namespace zt {

namespace {

int hex(char c) {
  if (c >= '0' && c <= '9') return c - '0';
  const char lower = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return lower >= 'a' && lower <= 'f' ? lower - 'a' + 10 : -1;
}

std::optional<PathBytes> percentDecode(std::string_view text) {
  PathBytes out;
  for (std::size_t at = 0; at < text.size(); ++at) {
    if (text[at] == '%' && at + 2 < text.size() && hex(text[at + 1]) >= 0 && hex(text[at + 2]) >= 0) {
      out += static_cast<char>(hex(text[at + 1]) * 16 + hex(text[at + 2]));
      at += 2;
    } else {
      out += text[at];
    }
  }
  if (out.empty() || out.find('\0') != PathBytes::npos) return std::nullopt;
  return out;
}

bool isDate(std::string_view text) {
  constexpr std::string_view shape = "0000-00-00T00:00:00";
  if (text.size() != shape.size()) return false;
  for (std::size_t i = 0; i < shape.size(); ++i) {
    const bool digit = std::isdigit(static_cast<unsigned char>(text[i])) != 0;
    if (shape[i] == '0' ? !digit : text[i] != shape[i]) return false;
  }
  return true;
}

}  // namespace

std::optional<TrashInfo> parseTrashInfo(std::string_view text) {
  TrashInfo info;
  bool inGroup = false;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    std::string_view line = text.substr(at, end - at);
    at = end + 1;
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    if (line.starts_with('[')) {
      inGroup = line == "[Trash Info]";
    } else if (inGroup && line.starts_with("Path=") && info.path.empty()) {
      auto path = percentDecode(line.substr(5));
      if (!path) return std::nullopt;
      info.path = std::move(*path);
    } else if (inGroup && line.starts_with("DeletionDate=") && isDate(line.substr(13))) {
      info.deleted = line.substr(13);
    }
  }
  if (info.path.empty()) return std::nullopt;
  return info;
}

TimeNs timeOfDate(const std::string& date) {
  std::tm t{};
  if (std::sscanf(date.c_str(), "%4d-%2d-%2dT%2d:%2d:%2d", &t.tm_year, &t.tm_mon, &t.tm_mday, &t.tm_hour,
                  &t.tm_min, &t.tm_sec) != 6)
    return 0;
  t.tm_year -= 1900;
  t.tm_mon -= 1;
  const std::time_t seconds = ::timegm(&t);
  return seconds <= 0 ? 0 : static_cast<TimeNs>(seconds) * nsPerSecond;
}

}  // namespace zt
