// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/personal_names.h"

#include <algorithm>
#include <array>

#include "core/catalogue/name_pattern.h"

namespace zt {

bool looksPersonal(std::string_view name) {
  static constexpr auto endings = std::to_array<std::string_view>(
      {"3gp",   "aac",     "ai",  "aiff", "arw",  "avi",  "cr2",  "cr3",  "csv",  "dng",  "doc",
       "docm",  "docx",    "dwg", "eml",  "epub", "flac", "heic", "heif", "indd", "jpeg", "jpg",
       "kdbx",  "key",     "m4a", "m4v",  "mdb",  "mkv",  "mov",  "mp3",  "mp4",  "mpg",  "mts",
       "nef",   "numbers", "odb", "odg",  "odp",  "ods",  "odt",  "ogg",  "opus", "orf",  "ost",
       "pages", "pdf",     "ppt", "pptx", "psd",  "pst",  "raf",  "rtf",  "rw2",  "tif",  "tiff",
       "wav",   "webm",    "wma", "wmv",  "xls",  "xlsm", "xlsx"});
  static_assert(std::is_sorted(endings.begin(), endings.end()));
  const auto dot = name.rfind('.');
  if (dot == std::string_view::npos || name.size() - dot > 8) return false;
  return std::binary_search(endings.begin(), endings.end(), lowered(name.substr(dot + 1)));
}

}  // namespace zt
