// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/unpack.h"

#include <zlib.h>
#include <zstd.h>

#include <memory>

namespace zt {

namespace {

bool inflateInto(std::string_view bytes, int windowBits, std::string& out) {
  z_stream stream{};
  if (inflateInit2(&stream, windowBits) != Z_OK) return false;
  const std::unique_ptr<z_stream, int (*)(z_stream*)> end(&stream, inflateEnd);
  // zlib reads from it, though its type does not say so.
  stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(bytes.data()));
  stream.avail_in = static_cast<uInt>(bytes.size());
  stream.next_out = reinterpret_cast<Bytef*>(out.data());
  stream.avail_out = static_cast<uInt>(out.size());
  const int done = inflate(&stream, Z_FINISH);
  // What follows the packed bytes in the last sector is none of it.
  return done == Z_STREAM_END || (done == Z_BUF_ERROR && stream.avail_out == 0) || (done == Z_OK);
}

/// A frame may be followed by anything, so its own size is not asked for.
bool unzstdInto(std::string_view bytes, std::string& out) {
  const std::unique_ptr<ZSTD_DCtx, std::size_t (*)(ZSTD_DCtx*)> context(ZSTD_createDCtx(), ZSTD_freeDCtx);
  ZSTD_inBuffer in{bytes.data(), bytes.size(), 0};
  ZSTD_outBuffer to{out.data(), out.size(), 0};
  while (to.pos < to.size && in.pos < in.size) {
    const std::size_t left = ZSTD_decompressStream(context.get(), &to, &in);
    if (ZSTD_isError(left) != 0) return false;
    if (left == 0) break;
  }
  return true;
}

}  // namespace

Result<std::string> unpack(Packing packing, std::string_view bytes, Bytes length) {
  constexpr Bytes most = Bytes{64} << 20;
  if (length > most || bytes.size() > most) return fail(Errc::corrupt, "unpack");
  std::string out(static_cast<std::size_t>(length), '\0');
  const bool good = packing == Packing::zstd      ? unzstdInto(bytes, out)
                    : packing == Packing::deflate ? inflateInto(bytes, -15, out)
                                                  : inflateInto(bytes, 15, out);
  if (!good) return fail(Errc::corrupt, "unpack");
  return out;
}

}  // namespace zt
