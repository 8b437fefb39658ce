// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/personal_names.h"

#include <algorithm>
#include <array>
#include <string>

#include "core/catalogue/name_pattern.h"

namespace zt {

namespace {

std::string endingOf(std::string_view name) {
  const auto dot = name.rfind('.');
  if (dot == std::string_view::npos || name.size() - dot > 12) return {};
  return lowered(name.substr(dot + 1));
}

template <std::size_t n>
bool isAmong(const std::array<std::string_view, n>& sorted, std::string_view text) {
  return std::binary_search(sorted.begin(), sorted.end(), text);
}

constexpr auto records = std::to_array<std::string_view>(
    {"accdb", "avhdx",    "eml", "emlx", "fdb",  "frm",  "gpg",   "ibd",   "jks", "kdb",
     "kdbx",  "keystore", "ldf", "mbox", "mdb",  "mdf",  "msf",   "myd",   "nsf", "ost",
     "ova",   "p12",      "pfx", "ppk",  "pst",  "pvm",  "qcow",  "qcow2", "qed", "tde",
     "utm",   "vault",    "vdi", "vhd",  "vhdx", "vmdk", "wallet"});
static_assert(std::is_sorted(records.begin(), records.end()));

constexpr auto endings = std::to_array<std::string_view>(
    {"3gp",  "7z",     "aac",     "ai",   "aiff",    "arw",  "asc",  "avi",  "bak",  "bz2",  "cr2",  "cr3",
     "csv",  "dng",    "doc",     "docm", "docx",    "dwg",  "epub", "flac", "gz",   "heic", "heif", "img",
     "indd", "iso",    "jpeg",    "jpg",  "key",     "kra",  "m4a",  "m4v",  "md",   "mkv",  "mov",  "mp3",
     "mp4",  "mpg",    "mts",     "nef",  "numbers", "odb",  "odg",  "odp",  "ods",  "odt",  "ogg",  "opus",
     "orf",  "pages",  "pdf",     "pem",  "ppt",     "pptx", "psd",  "raf",  "rar",  "raw",  "rtf",  "rw2",
     "sql",  "sqlite", "sqlite3", "svg",  "tar",     "tex",  "tgz",  "tif",  "tiff", "txt",  "wav",  "webm",
     "wma",  "wmv",    "xcf",     "xls",  "xlsm",    "xlsx", "xz",   "zip",  "zst"});
static_assert(std::is_sorted(endings.begin(), endings.end()));

}  // namespace

bool holdsRecords(std::string_view name, Bytes length) {
  constexpr Bytes disk = Bytes{512} << 20;
  const std::string ending = endingOf(name);
  if (isAmong(records, ending) || name.starts_with("ibdata") || name.starts_with("id_rsa") ||
      name.starts_with("id_ed25519"))
    return true;
  return length >= disk && (ending == "img" || ending == "raw" || ending == "iso");
}

bool looksPersonal(std::string_view name) {
  return isAmong(endings, endingOf(name)) || holdsRecords(name, 0);
}

bool isWorkingCopySign(std::string_view name) {
  static constexpr auto signs =
      std::to_array<std::string_view>({".bzr", ".git", ".hg", ".jj", ".pijul", ".svn", "CVS", "_darcs"});
  return isAmong(signs, name);
}

}  // namespace zt
