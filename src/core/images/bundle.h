// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/images/disk_image.h"

namespace zt {

/// What the property list of a sparse bundle says.
struct BundlePlan {
  Bytes length = 0;  ///< of the guest's disk
  Bytes bandSize = 0;
};
/// Reads `Info.plist` (an XML property list); fails with notOurs for another one, corrupt for absurd sizes.
Result<BundlePlan> parseBundle(std::string_view plist);

/// A disk that is kept as a folder of bands, each a file named by its number in hexadecimal.
class BandedSource final : public DiskBytes {
public:
  struct Band {
    OpenedFilePtr file;
    Bytes length = 0;
  };
  /// Opens a band; one that is not there reads as zeros (notThere).
  using Open = std::function<Result<Band>(Bytes number)>;
  /// `there`: the numbers of the bands, in order.
  BandedSource(BundlePlan plan, std::vector<Bytes> there, Open open)
      : plan_(plan), there_(std::move(there)), open_(std::move(open)) {}
  Bytes length() const override { return plan_.length; }
  Result<void> read(Bytes at, std::span<char> into) override;
  Result<Stretch> nextData(Bytes at) override;

private:
  Result<Band*> band(Bytes number);
  BundlePlan plan_;
  std::vector<Bytes> there_;
  Open open_;
  Bytes number_ = ~Bytes{0};  ///< of the band that is open
  Band now_;
};

/// The image of a bundle, read through its bands.
Result<DiskImage> readBundle(BandedSource& bands, const std::stop_token& stop);

}  // namespace zt
