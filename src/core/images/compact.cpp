// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/compact.h"

#include <algorithm>
#include <cstring>

namespace zt {

namespace {

constexpr unsigned newUnitBits = 16;
constexpr Bytes newUnit = Bytes{1} << newUnitBits;
constexpr Bytes tableEntries = newUnit / 8;
constexpr Bytes spanOfTable = tableEntries * newUnit;  // of the guest
constexpr std::uint64_t notShared = std::uint64_t{1} << 63;

/// Goes along with rising offsets.
class LeftOut {
public:
  explicit LeftOut(const std::vector<Stretch>& leave) : leave_(leave), at_(leave_.begin()) {}
  /// Whether all of it may be left out.
  bool covers(Stretch what) {
    while (at_ != leave_.end() && at_->to <= what.from) ++at_;
    return at_ != leave_.end() && at_->from <= what.from && what.to <= at_->to;
  }

private:
  const std::vector<Stretch>& leave_;
  std::vector<Stretch>::const_iterator at_;
};

/// Calls `each` with every cluster of a disk that is not left out and not zeros, in order.
template <class Each>
Result<void> throughClusters(DiskBytes& disk, const Compacting& how, const Each& each) {
  LeftOut left(how.leave);
  std::vector<char> block(static_cast<std::size_t>(newUnit));
  for (Bytes at = 0; at < disk.length();) {
    if (how.stop.stop_requested()) return fail(Errc::cancelled, "compact");
    const auto data = disk.nextData(at);
    if (!data) return tl::unexpected(data.error());
    if (data->empty()) break;
    at = std::max(at, data->from / newUnit * newUnit);
    for (; at < data->to; at += newUnit) {
      if (how.stop.stop_requested()) return fail(Errc::cancelled, "compact");
      const Bytes to = std::min(at + newUnit, disk.length());
      const auto part = std::span(block).first(static_cast<std::size_t>(to - at));
      if (!left.covers({at, to})) {
        if (auto read = disk.read(at, part); !read) return read;
        if (!allZeros(part))
          if (auto done = each(at, part); !done) return done;
      }
      if (how.went) how.went(to);
    }
  }
  return {};
}

Result<void> writeGrains(MadeFile& out, Bytes at, std::span<const char> part) {
  Result<void> put;
  throughGrains(part, [&](std::size_t in, std::span<const char> bytes) {
    if (put) put = out.write(at + in, bytes);
  });
  return put;
}

void putBigEndian(std::string& bytes, std::size_t at, std::uint64_t value, int size) {
  for (int i = 0; i < size; ++i)
    bytes[at + static_cast<std::size_t>(i)] = static_cast<char>(value >> (8 * (size - 1 - i)));
}

/// How many clusters a number of bytes takes.
Bytes clustersOf(Bytes bytes) {
  return (bytes + newUnit - 1) / newUnit;
}

Bytes sizeOfFirstTable(Bytes guest) {
  return std::max<Bytes>((guest + spanOfTable - 1) / spanOfTable, 1) * 8;
}

constexpr Bytes countsPerBlock = newUnit / 2;

/// Where the counts of an image lie: behind everything else, first where they are, then they themselves.
struct Counts {
  Bytes begin = 0;  ///< cluster
  Bytes table = 0;  ///< clusters
  Bytes blocks = 0;
  Bytes all() const { return begin + table + blocks; }
};

/// Those of what takes `used` clusters without them; they count themselves, too.
Counts countsBehind(Bytes used) {
  Counts c{used};
  for (Bytes before = ~Bytes{0}; before != c.blocks + c.table;) {
    before = c.blocks + c.table;
    c.blocks = (c.all() + countsPerBlock - 1) / countsPerBlock;
    c.table = clustersOf(c.blocks * 8);
  }
  return c;
}

std::string offsetsOf(const Counts& c) {
  std::string offsets(static_cast<std::size_t>(c.table * newUnit), '\0');
  for (Bytes b = 0; b < c.blocks; ++b)
    putBigEndian(offsets, static_cast<std::size_t>(b * 8), (c.begin + c.table + b) * newUnit, 8);
  return offsets;
}

/// Every cluster is used once.
std::string countsOf(const Counts& c, Bytes block) {
  std::string counts(static_cast<std::size_t>(newUnit), '\0');
  for (Bytes i = 0; i < countsPerBlock && block * countsPerBlock + i < c.all(); ++i)
    putBigEndian(counts, static_cast<std::size_t>(i * 2), 1, 2);
  return counts;
}

std::string headerOf(Bytes guest, const Counts& counts) {
  std::string h(112, '\0');
  h.replace(0, 4, "QFI\xfb");
  putBigEndian(h, 4, 3, 4);
  putBigEndian(h, 20, newUnitBits, 4);
  putBigEndian(h, 24, guest, 8);
  putBigEndian(h, 36, sizeOfFirstTable(guest) / 8, 4);
  putBigEndian(h, 40, newUnit, 8);
  putBigEndian(h, 48, counts.begin * newUnit, 8);
  putBigEndian(h, 56, counts.table, 4);
  putBigEndian(h, 96, 4, 4);     // counts of 16 bits
  putBigEndian(h, 100, 104, 4);  // the header's length; behind it the end of its extensions
  return h;
}

/// Clusters one after the other: the header, the first table, then each span's data and its table, then the
/// counts. The header is written last: without it the file is no image.
class Writer {
public:
  Writer(DiskBytes& disk, MadeFile& out, const Compacting& how) : disk_(disk), out_(out), how_(how) {}

  Result<void> write() {
    first_.assign(static_cast<std::size_t>(sizeOfFirstTable(disk_.length())), '\0');
    next_ = 1 + clustersOf(first_.size());
    auto done =
        throughClusters(disk_, how_, [&](Bytes at, std::span<const char> part) { return add(at, part); });
    if (done) done = endTable();
    if (done) done = out_.write(newUnit, first_);
    const Counts counts = countsBehind(next_);
    if (done) done = writeCounts(counts);
    if (done) done = out_.setLength(counts.all() * newUnit);
    return done ? out_.write(0, headerOf(disk_.length(), counts)) : done;
  }

private:
  Result<void> add(Bytes at, std::span<const char> part) {
    if (at / spanOfTable != span_ || second_.empty()) {
      if (auto ended = endTable(); !ended) return ended;
      span_ = at / spanOfTable;
      second_.assign(static_cast<std::size_t>(newUnit), '\0');
    }
    const Bytes place = next_++ * newUnit;
    putBigEndian(second_, static_cast<std::size_t>(at % spanOfTable / newUnit * 8), place | notShared, 8);
    return writeGrains(out_, place, part);
  }

  Result<void> endTable() {
    if (second_.empty()) return {};
    const Bytes place = next_++ * newUnit;
    putBigEndian(first_, static_cast<std::size_t>(span_ * 8), place | notShared, 8);
    auto done = out_.write(place, second_);
    second_.clear();
    return done;
  }

  Result<void> writeCounts(const Counts& counts) {
    for (Bytes b = 0; b < counts.blocks; ++b) {
      const Bytes at = (counts.begin + counts.table + b) * newUnit;
      if (auto done = out_.write(at, countsOf(counts, b)); !done) return done;
    }
    return out_.write(counts.begin * newUnit, offsetsOf(counts));
  }

  DiskBytes& disk_;
  MadeFile& out_;
  const Compacting& how_;
  std::string first_, second_;
  Bytes span_ = 0;
  Bytes next_ = 0;  ///< cluster
};

/// Goes through an image as `Writer` makes them, by its tables.
class Checker {
public:
  Checker(DiskBytes& file, Bytes guest) : file_(file), guest_(guest) {}

  Result<bool> isWhole() {
    if (file_.length() % newUnit != 0) return false;
    const Bytes all = file_.length() / newUnit, size = sizeOfFirstTable(guest_);
    const Bytes blocks = (all + countsPerBlock - 1) / countsPerBlock, table = clustersOf(blocks * 8);
    const Bytes begin = 1 + clustersOf(size);
    if (all < begin + table + blocks) return false;
    counts_ = {all - table - blocks, table, blocks};
    used_.assign(static_cast<std::size_t>(counts_.begin), false);
    std::fill_n(used_.begin(), begin, true);
    auto good = reads(0, padded(headerOf(guest_, counts_)));
    if (good && *good) good = tablesAreRight(size);
    if (good && *good) good = countsAreRight();
    if (!good || !*good) return good;
    return std::find(used_.begin(), used_.end(), false) == used_.end();
  }

private:
  static std::string padded(std::string bytes) {
    bytes.resize(static_cast<std::size_t>(clustersOf(bytes.size()) * newUnit), '\0');
    return bytes;
  }

  Result<bool> reads(Bytes at, const std::string& expected) {
    const auto is = bytesAt(file_, at, expected.size());
    return is ? Result<bool>(*is == expected) : tl::unexpected(is.error());
  }

  /// The cluster of an entry, which nothing else is in; nothing for one that is wrong.
  std::optional<Bytes> take(std::uint64_t entry) {
    const Bytes cluster = (entry & ~notShared) / newUnit;
    const bool right =
        (entry & notShared) != 0 && entry % newUnit == 0 && cluster < used_.size() && !used_[cluster];
    if (!right) return std::nullopt;
    used_[cluster] = true;
    return cluster;
  }

  Result<bool> tablesAreRight(Bytes size) {
    const auto first = bytesAt(file_, newUnit, clustersOf(size) * newUnit);
    if (!first) return tl::unexpected(first.error());
    for (Bytes i = 0; i < first->size() / 8; ++i) {
      const std::uint64_t entry = Fields(*first).be64(static_cast<std::size_t>(i * 8));
      if (entry == 0) continue;
      const auto cluster = i < size / 8 ? take(entry) : std::nullopt;
      if (!cluster) return false;
      const auto second = bytesAt(file_, *cluster * newUnit, newUnit);
      if (!second) return tl::unexpected(second.error());
      for (Bytes k = 0; k < tableEntries; ++k)
        if (const auto data = Fields(*second).be64(static_cast<std::size_t>(k * 8)); data != 0 && !take(data))
          return false;
    }
    return true;
  }

  Result<bool> countsAreRight() {
    auto good = reads(counts_.begin * newUnit, offsetsOf(counts_));
    for (Bytes b = 0; good && *good && b < counts_.blocks; ++b)
      good = reads((counts_.begin + counts_.table + b) * newUnit, countsOf(counts_, b));
    return good;
  }

  DiskBytes& file_;
  Bytes guest_;
  Counts counts_;
  std::vector<bool> used_;
};

}  // namespace

Result<void> punchZeros(DiskBytes& image, MadeFile& file, Bytes unit, const Compacting& how) {
  constexpr Bytes atOnce = 1u << 20;
  LeftOut left(how.leave);
  std::vector<char> block(static_cast<std::size_t>(atOnce));
  Stretch run;
  const auto give = [&]() -> Result<void> {
    auto done = run.empty() ? Result<void>{} : file.punch({run.from, run.to});
    run = {};
    return done;
  };
  // What is no data may still be set aside; where it is not, giving it back does nothing.
  const auto giveGap = [&](Bytes from, Bytes to) -> Result<void> {
    if (auto done = give(); !done) return done;
    run = {(from + unit - 1) / unit * unit, to / unit * unit};
    if (run.from >= run.to) run = {};
    return give();
  };
  for (Bytes at = 0; at < image.length();) {
    const auto data = image.nextData(at);
    if (!data) return tl::unexpected(data.error());
    if (auto done = giveGap(at, data->empty() ? image.length() : data->from); !done) return done;
    if (data->empty()) break;
    at = std::max(at, (data->from + unit - 1) / unit * unit);
    while (at + unit <= data->to) {
      if (how.stop.stop_requested()) return fail(Errc::cancelled, "compact");
      const Bytes size = std::min<Bytes>(atOnce / unit * unit, (data->to - at) / unit * unit);
      const auto part = std::span(block).first(static_cast<std::size_t>(size));
      if (auto read = image.read(at, part); !read) return read;
      for (Bytes u = 0; u < size; u += unit, at += unit) {
        const bool goes = left.covers({at, at + unit}) ||
                          allZeros(part.subspan(static_cast<std::size_t>(u), static_cast<std::size_t>(unit)));
        if (goes && run.to == at && !run.empty())
          run.to += unit;
        else if (goes) {
          if (auto done = give(); !done) return done;
          run = {at, at + unit};
        }
      }
      if (how.went) how.went(at);
    }
    at = std::max(at, data->to);
  }
  return give();
}

Result<Bytes> neededFor(DiskBytes& disk, const Compacting& how) {
  Bytes clusters = 0, holds = 0;
  const auto count = [&](Bytes, std::span<const char> part) -> Result<void> {
    ++clusters;
    throughGrains(part, [&](std::size_t, std::span<const char> bytes) { holds += bytes.size(); });
    return {};
  };
  if (auto done = throughClusters(disk, how, count); !done) return tl::unexpected(done.error());
  const Bytes spans = (disk.length() + spanOfTable - 1) / spanOfTable;
  return holds + (spans + spans / tableEntries + clusters / 1000 + 8) * newUnit;
}

Result<void> writeQcow2(DiskBytes& disk, MadeFile& out, const Compacting& how) {
  return Writer(disk, out, how).write();
}

Result<Bytes> neededAsItIs(DiskBytes& file, const Compacting& how) {
  Bytes holds = 0;
  const auto done = throughClusters(file, how, [&](Bytes, std::span<const char> part) -> Result<void> {
    throughGrains(part, [&](std::size_t, std::span<const char> bytes) { holds += bytes.size(); });
    return {};
  });
  return done ? Result<Bytes>(holds) : tl::unexpected(done.error());
}

Result<void> writeAsItIs(DiskBytes& file, MadeFile& out, const Compacting& how) {
  const auto done = throughClusters(
      file, how, [&](Bytes at, std::span<const char> part) { return writeGrains(out, at, part); });
  return done ? out.setLength(file.length()) : done;
}

Result<bool> isWholeQcow2(DiskBytes& file, Bytes guest) {
  return Checker(file, guest).isWhole();
}

Result<std::optional<Bytes>> firstDifference(DiskBytes& was, DiskBytes& is, const Compacting& how) {
  if (was.length() != is.length()) return std::optional<Bytes>(0);
  LeftOut left(how.leave);
  std::vector<char> a(static_cast<std::size_t>(newUnit)), b(a.size());
  for (Bytes at = 0; at < was.length(); at += newUnit) {
    if (how.stop.stop_requested()) return fail(Errc::cancelled, "compare");
    // Where neither stores anything both read as zeros.
    const auto one = was.nextData(at);
    const auto two = is.nextData(at);
    if (!one) return tl::unexpected(one.error());
    if (!two) return tl::unexpected(two.error());
    if (one->empty() && two->empty()) break;
    const Bytes from =
        std::min(one->empty() ? was.length() : one->from, two->empty() ? was.length() : two->from);
    at = std::max(at, from / newUnit * newUnit);
    const auto size = static_cast<std::size_t>(std::min(newUnit, was.length() - at));
    const auto x = std::span(a).first(size), y = std::span(b).first(size);
    if (auto read = was.read(at, x); !read) return tl::unexpected(read.error());
    if (auto read = is.read(at, y); !read) return tl::unexpected(read.error());
    const bool mayBeLost = left.covers({at, at + size}) && allZeros(y);
    if (!mayBeLost && std::memcmp(x.data(), y.data(), size) != 0) return std::optional<Bytes>(at);
    if (how.went) how.went(at + size);
  }
  return std::optional<Bytes>();
}

}  // namespace zt
