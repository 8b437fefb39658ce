// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/bundle.h"

#include <algorithm>
#include <charconv>

namespace zt {

namespace {

/// The number behind a key of a property list.
std::optional<Bytes> numberOf(std::string_view plist, std::string_view key) {
  auto at = plist.find("<key>" + std::string(key) + "</key>");
  if (at == std::string_view::npos) return std::nullopt;
  constexpr std::string_view opens = "<integer>";
  at = plist.find(opens, at);
  if (at == std::string_view::npos) return std::nullopt;
  at += opens.size();
  Bytes value = 0;
  const auto [end, problem] = std::from_chars(plist.data() + at, plist.data() + plist.size(), value);
  if (problem != std::errc{} || !plist.substr(static_cast<std::size_t>(end - plist.data())).starts_with('<'))
    return std::nullopt;
  return value;
}

}  // namespace

Result<BundlePlan> parseBundle(std::string_view plist) {
  if (plist.find("com.apple.diskimage.sparsebundle") == std::string_view::npos)
    return fail(Errc::notOurs, "image");
  const auto size = numberOf(plist, "size");
  const auto band = numberOf(plist, "band-size");
  constexpr Bytes least = 4096, most = Bytes{1} << 30, longest = Bytes{1} << 60;
  if (!size || !band || *band < least || *band > most || *size > longest)
    return fail(Errc::corrupt, "image", {}, "bundle's sizes");
  return BundlePlan{*size, *band};
}

Result<BandedSource::Band*> BandedSource::band(Bytes number) {
  if (number_ == number) return &now_;
  auto opened = open_(number);
  if (!opened) return tl::unexpected(opened.error());
  now_ = std::move(*opened);
  number_ = number;
  return &now_;
}

Result<void> BandedSource::read(Bytes at, std::span<char> into) {
  if (at > length() || into.size() > length() - at) return fail(Errc::corrupt, "image");
  while (!into.empty()) {
    const Bytes number = at / plan_.bandSize, within = at % plan_.bandSize;
    const auto part =
        into.first(static_cast<std::size_t>(std::min<Bytes>(into.size(), plan_.bandSize - within)));
    std::fill(part.begin(), part.end(), '\0');
    if (std::binary_search(there_.begin(), there_.end(), number)) {
      const auto b = band(number);
      if (!b) return tl::unexpected(b.error());
      FileSource file(*(*b)->file, (*b)->length);
      const Bytes left = within < file.length() ? file.length() - within : 0;
      const auto stored = part.first(static_cast<std::size_t>(std::min<Bytes>(left, part.size())));
      if (!stored.empty())
        if (auto read = file.read(within, stored); !read) return read;
    }
    at += part.size();
    into = into.subspan(part.size());
  }
  return {};
}

Result<Stretch> BandedSource::nextData(Bytes at) {
  for (auto number = std::lower_bound(there_.begin(), there_.end(), at / plan_.bandSize);
       number != there_.end(); ++number) {
    const Bytes from = *number * plan_.bandSize;
    if (from >= length()) break;
    const auto b = band(*number);
    if (!b) return tl::unexpected(b.error());
    FileSource file(*(*b)->file, std::min((*b)->length, plan_.bandSize));
    const auto data = file.nextData(at > from ? at - from : 0);
    if (!data) return tl::unexpected(data.error());
    if (!data->empty()) return Stretch{from + data->from, std::min(from + data->to, length())};
  }
  return Stretch{};
}

Result<DiskImage> readBundle(BandedSource& bands, const std::stop_token& stop) {
  DiskImage image;
  image.format = "sparse-bundle";
  image.guestLength = bands.length();
  if (auto added = RunList(image).addStored(bands, bands.length(), stop); !added)
    return tl::unexpected(added.error());
  return image;
}

}  // namespace zt
