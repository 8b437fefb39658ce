// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/file_kinds.h"

#include <algorithm>
#include <bit>
#include <charconv>
#include <cstring>

#include "core/base/string_key.h"
#include "core/catalogue/name_pattern.h"
#include "core/os/paths.h"

namespace zt {

std::string_view name(FileKind kind) {
  static constexpr std::array<std::string_view, fileKinds> names{"sound",    "picture", "video", "archive",
                                                                 "document", "program", "other"};
  return names[static_cast<std::size_t>(kind)];
}

namespace {

bool holdsAny(std::string_view type, std::initializer_list<std::string_view> parts) {
  return std::any_of(parts.begin(), parts.end(),
                     [&](std::string_view part) { return type.find(part) != std::string_view::npos; });
}

/// The kind of a MIME type. The large families go by their first half; what is under "application" by what
/// its name tells.
FileKind kindOfType(std::string_view type) {
  if (type.starts_with("audio/")) return FileKind::sound;
  if (type.starts_with("video/")) return FileKind::video;
  if (type.starts_with("image/")) return FileKind::picture;
  if (holdsAny(type, {"/ogg", "x-flac", "x-cue"})) return FileKind::sound;
  if (holdsAny(type, {"x-matroska", "vnd.rn-realmedia", "mxf", "x-shockwave"})) return FileKind::video;
  if (holdsAny(type, {"script", "x-sharedlib", "x-object", "x-executable", "java-archive",
                      "portable-executable", "x-msi", "x-msdownload", "x-archive", "bytecode", "x-pkcs",
                      "wasm", "appimage", "flatpak", "vnd.snap", "x-java"}))
    return FileKind::program;
  if (holdsAny(
          type,
          {"zip",        "x-tar",      "-compressed", "x-rar",        "vnd.rar",   "x-7z",
           "zstd",       "x-xz",       "x-lzma",      "x-cpio",       "x-rpm",     "debian.binary-package",
           "disk-image", "x-cd-image", "x-qemu",      "x-virtualbox", "vmdk",      "x-lz4",
           "x-lha",      "x-arj",      "vnd.ms-cab",  "x-raw-disk",   "x-stuffit", "x-apple-diskimage",
           "x-ace",      "x-iso9660"}))
    return FileKind::archive;
  if (type.starts_with("text/") || type.starts_with("message/") || type.starts_with("font/"))
    return FileKind::document;
  if (holdsAny(type, {"pdf",
                      "postscript",
                      "msword",
                      "ms-excel",
                      "ms-powerpoint",
                      "opendocument",
                      "officedocument",
                      "epub",
                      "rtf",
                      "x-tex",
                      "json",
                      "xml",
                      "yaml",
                      "sqlite",
                      "x-abiword",
                      "x-gnumeric",
                      "wordperfect",
                      "msaccess",
                      "mobipocket",
                      "x-bibtex",
                      "gpx",
                      "geo",
                      "sql",
                      "mbox"}))
    return FileKind::document;
  return FileKind::other;
}

std::string lowerName(std::string_view text) {
  std::string out(text);
  for (char& c : out) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return out;
}

/// One bit of 64 for a character.
std::uint64_t bitOf(char c) {
  return std::uint64_t{1} << (static_cast<unsigned char>(c) & 63u);
}

/// Whether a name that begins so can fit: by the first part of the pattern alone.
bool mayBegin(const std::string& pattern, char c) {
  if (pattern.front() == '*') return true;
  const auto part = pattern.front() == '[' ? pattern.find(']', 2) : 0;
  return part == std::string::npos || globFits(pattern.substr(0, part + 1), {&c, 1});
}

/// Whether a name that ends so can fit: by the last part of the pattern alone.
bool mayEnd(const std::string& pattern, char c) {
  if (pattern.back() == '*') return true;
  const auto part = pattern.back() == ']' ? pattern.rfind('[') : pattern.size() - 1;
  return part == std::string::npos || globFits(pattern.substr(part), {&c, 1});
}

std::string longestLiteral(const std::string& pattern) {
  std::string best;
  std::string run;
  bool set = false;  // within [...]
  for (const char c : pattern) {
    if (c == '*' || c == '?' || c == '[' || c == '\\' || set) {
      if (run.size() > best.size()) best = run;
      run.clear();
      set = c == '[' || (set && c != ']');
    } else {
      run += c;
    }
  }
  return run.size() > best.size() ? run : best;
}

}  // namespace

KindTable::KindTable(std::string_view globs2) {
  const auto keep = [](auto& table, std::string key, const Rule& rule) {
    const auto [at, fresh] = table.try_emplace(std::move(key), rule);
    if (!fresh && rule.weight > at->second.weight) at->second = rule;
  };
  while (!globs2.empty()) {
    const auto end = std::min(globs2.find('\n'), globs2.size());
    const std::string_view line = globs2.substr(0, end);
    globs2.remove_prefix(std::min(globs2.size(), end + 1));
    const auto first = line.find(':');
    const auto second = first == std::string_view::npos ? first : line.find(':', first + 1);
    if (line.empty() || line[0] == '#' || second == std::string_view::npos) continue;
    Rule rule;
    std::from_chars(line.data(), line.data() + first, rule.weight);
    rule.kind = kindOfType(line.substr(first + 1, second - first - 1));
    // Flags may follow ("cs"): ending in the same letters in another case still tells the kind well enough.
    const std::string pattern = lowerName(line.substr(second + 1, line.find(':', second + 1) - second - 1));
    if (pattern.empty() || pattern.size() > 255) continue;
    const bool plainRest = pattern.find_first_of("*?[", 1) == std::string::npos;
    if (pattern.starts_with("*.") && plainRest)
      keep(endings_, pattern.substr(1), rule);
    else if (pattern[0] != '*' && pattern[0] != '?' && pattern[0] != '[' && plainRest)
      keep(names_, pattern, rule);
    else
      globs_.push_back({pattern, longestLiteral(pattern), rule});
  }
  std::stable_sort(globs_.begin(), globs_.end(),
                   [](const auto& a, const auto& b) { return a.rule.weight > b.rule.weight; });
  if (globs_.size() > mostGlobs) globs_.resize(mostGlobs);
  for (std::size_t i = 0; i < globs_.size(); ++i)
    for (unsigned c = 0; c < 256; ++c) {
      const std::uint64_t bit = std::uint64_t{1} << i;
      if (mayBegin(globs_[i].pattern, static_cast<char>(c))) globsByFirst_[c] |= bit;
      if (mayEnd(globs_[i].pattern, static_cast<char>(c))) globsByLast_[c] |= bit;
    }
  for (const auto& [name, rule] : names_) {
    nameSizes_ |= std::uint64_t{1} << (name.size() & 63u);
    nameStarts_ |= bitOf(name[0]);
  }
}

Result<KindTable> KindTable::ofThisMachine() {
  const auto text = readHead("/usr/share/mime/globs2", std::size_t{4} << 20);
  if (!text) return tl::unexpected(text.error());
  return KindTable(text->bytes);
}

namespace {
/// Lower-cases ASCII letters eight bytes at a time: of each byte's low seven bits, adding carries into the
/// eighth where they are at least 'A', and where they are beyond 'Z'. A million names pass through here.
void lowerWords(std::array<char, 264>& text, std::size_t size) {
  constexpr std::uint64_t each = 0x0101010101010101;
  for (std::size_t at = 0; at < size; at += sizeof(std::uint64_t)) {
    std::uint64_t word = 0;
    std::memcpy(&word, text.data() + at, sizeof word);
    const std::uint64_t low = word & (each * 0x7F);
    const std::uint64_t fromA = low + each * (0x80 - 'A');
    const std::uint64_t beyondZ = low + each * (0x7F - 'Z');
    const std::uint64_t upper = ~word & (fromA ^ beyondZ) & (each * 0x80);
    word |= upper >> 2;
    std::memcpy(text.data() + at, &word, sizeof word);
  }
}
}  // namespace

FileKind KindTable::of(std::string_view fileName) const {
  std::array<char, 264> buffer;  // names have 255 bytes; words reach a little further
  const std::size_t size = std::min(fileName.size(), buffer.size() - 9);
  std::memset(buffer.data() + size, 0, 9);
  std::memcpy(buffer.data(), fileName.data(), size);
  lowerWords(buffer, size);
  const std::string_view plain(buffer.data(), size);
  // The longest ending wins: ".tar.gz" before ".gz".
  for (auto dot = plain.find('.'); dot != std::string_view::npos; dot = plain.find('.', dot + 1))
    if (const auto at = endings_.find(keyOf(plain.substr(dot))); at != endings_.end()) return at->second.kind;
  // A million names are asked: what can be no whole name is not looked up.
  if (!plain.empty() && (nameStarts_ & bitOf(plain[0])) != 0 && (nameSizes_ >> (size & 63u) & 1u) != 0)
    if (const auto at = names_.find(keyOf(plain)); at != names_.end()) return at->second.kind;
  const Glob* glob = globOf(plain);
  return glob == nullptr ? FileKind::other : glob->rule.kind;
}

const KindTable::Glob* KindTable::globOf(std::string_view plain) const {
  if (plain.empty()) return nullptr;
  const auto at = [](const auto& table, char c) { return table[static_cast<unsigned char>(c)]; };
  // The heaviest has the lowest bit.
  for (std::uint64_t left = at(globsByFirst_, plain.front()) & at(globsByLast_, plain.back()); left != 0;
       left &= left - 1) {
    const Glob& glob = globs_[static_cast<std::size_t>(std::countr_zero(left))];
    if (plain.find(glob.needle) != std::string_view::npos && globFits(glob.pattern, plain)) return &glob;
  }
  return nullptr;
}

}  // namespace zt
