// Bit planes of nested wavelet bands, from the highest down, so that a stream that is cut off still gives a picture.
// Each cell of the picture, with its part of every band of all planes, is a stream of its own.

#include <algorithm>
#include <array>
#include <bit>
#include <cstdlib>

#include "pack/codecs.hpp"
#include "pack/range_coder.hpp"
#include "pack/varint.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal::packing {

namespace {

constexpr int kCell = 512;  // pixels to a side
constexpr int kBlock = 8;   // coefficients to a side that are skipped together while all are 0

// The part of one band that lies in a cell.
struct Piece {
  BandKind kind = BandKind::low;
  int level = 0;
  std::size_t plane = 0;
  int x = 0, y = 0;                // place in its band
  int nested_x = 0, nested_y = 0;  // and among all bands
  int width = 0, height = 0;
  int parent = -1;               // the piece of the next coarser level
  int shift_x = 0, shift_y = 0;  // (i + shift) >> 1 is the place in the parent
  int stride = 0, block_stride = 0, blocks_across = 0, blocks_down = 0;
  bool begun = false;                    // something in it is not 0
  std::vector<std::uint32_t> known;      // magnitudes as far as they are coded, with a rim of zeros
  std::vector<std::int8_t> sign;         // -1, 0, 1, with a rim
  std::vector<std::uint8_t> active;      // blocks that hold something, with a rim
  std::vector<std::uint8_t> left;        // decoder: bits of each block that are not known
  std::vector<std::uint32_t> magnitude;  // encoder: all bits, and kNegative
  std::vector<std::uint8_t> bits;        // encoder: of the largest in each block
  int most_bits = 0;                     // encoder: of the largest of all
  std::size_t at(int i, int j) const {
    return static_cast<std::size_t>(j + 1) * static_cast<std::size_t>(stride) + static_cast<std::size_t>(i + 1);
  }
  std::size_t block(int i, int j) const {
    return static_cast<std::size_t>(j + 1) * static_cast<std::size_t>(block_stride) + static_cast<std::size_t>(i + 1);
  }
  BandPart row(int j) const { return {plane, kind, level, x, y + j, nested_x, nested_y + j}; }
};

struct Grid {
  int across, down;
};
Grid cells_of(const BandShape& p) { return {(p.width + kCell - 1) / kCell, (p.height + kCell - 1) / kCell}; }

int halved(int n, int levels) {
  for (; levels > 0; --levels) n = (n + 1) / 2;
  return n;
}

// Makes `all` the pieces of a cell, coarse before fine, and all planes at each level; what an earlier cell left is used
// again.
void shape_pieces(const BandShape& shape, const Grid& cells, int cx, int cy, std::vector<Piece>& all) {
  const int levels = shape.levels, w = shape.width, h = shape.height;
  std::vector<std::array<int, 4>> before(shape.planes, {-1, -1, -1, -1});
  std::size_t count = 0;
  all.resize(shape.planes * static_cast<std::size_t>(1 + 3 * levels));
  const auto add = [&](std::size_t plane, BandKind kind, int level, int x0, int y0, int bw, int bh) {
    const int left = static_cast<int>(static_cast<long long>(bw) * cx / cells.across),
              right = static_cast<int>(static_cast<long long>(bw) * (cx + 1) / cells.across);
    const int top = static_cast<int>(static_cast<long long>(bh) * cy / cells.down),
              bottom = static_cast<int>(static_cast<long long>(bh) * (cy + 1) / cells.down);
    int& last = before[plane][static_cast<std::size_t>(kind)];
    Piece& q = all[count];
    q.kind = kind;
    q.level = level;
    q.plane = plane;
    q.x = left;
    q.y = top;
    q.nested_x = x0 + left;
    q.nested_y = y0 + top;
    q.width = right - left;
    q.height = bottom - top;
    q.parent = -1;
    q.begun = false;
    if (last >= 0) {
      const Piece& up = all[static_cast<std::size_t>(last)];
      q.parent = last;
      q.shift_x = left - 2 * up.x;
      q.shift_y = top - 2 * up.y;
      // The rim about the parent may be read, nothing beyond it.
      const auto fits = [](int shift, int n, int room) {
        return n > 0 && room > 0 && (shift >> 1) >= -1 && ((n - 1 + shift) >> 1) <= room;
      };
      if (!fits(q.shift_x, q.width, up.width) || !fits(q.shift_y, q.height, up.height)) q.parent = -1;
    }
    last = static_cast<int>(count++);
    q.stride = q.width + 2;
    q.blocks_across = (q.width + kBlock - 1) / kBlock;
    q.blocks_down = (q.height + kBlock - 1) / kBlock;
    q.block_stride = q.blocks_across + 2;
    const std::size_t n = static_cast<std::size_t>(q.stride) * static_cast<std::size_t>(q.height + 2),
                      b = static_cast<std::size_t>(q.block_stride) * static_cast<std::size_t>(q.blocks_down + 2);
    q.known.assign(n, 0);
    q.sign.assign(n, 0);
    q.active.assign(b, 0);
  };
  for (std::size_t p = 0; p < shape.planes; ++p)
    add(p, BandKind::low, levels, 0, 0, halved(w, levels), halved(h, levels));
  for (int level = levels - 1; level >= 0; --level) {
    const int lw = halved(w, level + 1), lh = halved(h, level + 1), fw = halved(w, level), fh = halved(h, level);
    for (std::size_t p = 0; p < shape.planes; ++p) {
      add(p, BandKind::across, level, lw, 0, fw - lw, lh);
      add(p, BandKind::down, level, 0, lh, lw, fh - lh);
      add(p, BandKind::diagonal, level, lw, lh, fw - lw, fh - lh);
    }
  }
}

constexpr std::array<std::uint8_t, 40> kLevel = [] {
  std::array<std::uint8_t, 40> t{};
  for (int i = 0; i < 40; ++i)
    t[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(i == 0   ? 0
                                                               : i < 2  ? 1
                                                               : i < 4  ? 2
                                                               : i < 6  ? 3
                                                               : i < 8  ? 4
                                                               : i < 11 ? 5
                                                               : i < 15 ? 6
                                                               : i < 21 ? 7
                                                               : i < 30 ? 8
                                                               : i < 39 ? 9
                                                                        : 10);
  return t;
}();
constexpr int kLevels = 11;

class Models {
 public:
  // Codes one bit plane of a piece. When decoding, it stops before the first block for which the stream holds no more
  // bits.
  template <class Coder>
  bool code(Coder& c, const std::vector<Piece>& all, Piece& q, int plane) {
    Set& s = sets_[(q.plane > 0 ? 4 : 0) + static_cast<std::size_t>(q.kind)];
    if (c.ended()) return false;
    if (!q.begun) q.begun = c.bit(s.begins, q.most_bits > plane);
    if (!q.begun) {
      if constexpr (Coder::kDecodes) std::fill(q.left.begin(), q.left.end(), static_cast<std::uint8_t>(plane));
      return true;
    }
    const Piece* parent = q.parent >= 0 ? &all[static_cast<std::size_t>(q.parent)] : nullptr;
    // Neighbors along an edge tell more than those across it.
    switch (q.kind) {
      case BandKind::low:
        return code_rows<3, 3, 1>(c, s, q, parent, plane);
      case BandKind::across:
        return code_rows<2, 4, 1>(c, s, q, parent, plane);
      case BandKind::down:
        return code_rows<4, 2, 1>(c, s, q, parent, plane);
      default:
        return code_rows<2, 2, 2>(c, s, q, parent, plane);
    }
  }

 private:
  struct Set {
    std::array<Bit, 3 * kLevels> some;
    std::array<Bit, 10> block;
    std::array<Bit, 2 * kLevels> more;
    std::array<Bit, 5> sign;
    Bit begins;
  };
  // More than a plane of a block takes: two bits a value and one for all, each of which costs 12 bits at most.
  static constexpr std::size_t kMostBytes = 256;

  template <int wx, int wy, int wd, class Coder>
  static bool code_rows(Coder& coder, Set& s, Piece& q, const Piece* parent, int plane) {
    bool going = true;
    for (int by = 0; by < q.blocks_down && going; ++by) {
      auto c = coder.take(kMostBytes * static_cast<std::size_t>(q.blocks_across));
      for (int bx = 0; bx < q.blocks_across; ++bx) {
        if (c.ended()) {
          going = false;
          break;
        }
        const std::size_t b = q.block(bx, by);
        if (!q.active[b]) {
          const std::uint8_t* a = q.active.data() + b;
          int near = a[-1] + a[1] + a[-q.block_stride] + a[q.block_stride];
          if (parent) {
            const int px = std::clamp(((bx * kBlock + q.shift_x) >> 1) / kBlock, 0, parent->blocks_across - 1),
                      py = std::clamp(((by * kBlock + q.shift_y) >> 1) / kBlock, 0, parent->blocks_down - 1);
            near += 5 * parent->active[parent->block(px, py)];
          }
          bool some = false;
          if constexpr (!Coder::kDecodes) some = q.bits[b] > plane;
          if (!c.bit(s.block[static_cast<std::size_t>(near)], some)) {
            if constexpr (Coder::kDecodes) q.left[b] = static_cast<std::uint8_t>(plane);
            continue;
          }
          q.active[b] = 1;
        }
        code_block<wx, wy, wd>(c, s, q, parent, plane, bx * kBlock, by * kBlock);
        if constexpr (Coder::kDecodes) q.left[b] = static_cast<std::uint8_t>(plane);
      }
      coder.put(c);
    }
    return going;
  }

  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, class State>
  [[gnu::always_inline]] static void code_block(State& c, Set& s, Piece& q, const Piece* parent, int plane, int x0,
                                                int y0) {
    const int x1 = std::min(x0 + kBlock, q.width), y1 = std::min(y0 + kBlock, q.height), n = q.stride;
    for (int y = y0; y < y1; ++y) {
      const std::uint32_t* parents = nullptr;
      if (parent) parents = parent->known.data() + parent->at(0, (y + q.shift_y) >> 1);
      std::uint32_t* k = q.known.data() + q.at(x0, y);
      std::int8_t* g = q.sign.data() + q.at(x0, y);
      const std::uint32_t* truths = nullptr;
      if constexpr (!State::kDecodes)
        truths = q.magnitude.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(q.width);
      // For the column before, at and after a place: the sum of what lies above and below.
      std::uint32_t pair_before = k[-n - 1] + k[n - 1], pair = k[-n] + k[n], left = k[-1];
      for (int x = x0; x < x1; ++x, ++k, ++g) {
        const std::uint32_t pair_after = k[-n + 1] + k[n + 1];
        const std::uint32_t near = wx * (left + k[1]) + wy * pair + wd * (pair_before + pair_after);
        pair_before = pair;
        pair = pair_after;
        left = *k;  // where it changes below, it is set again
        const std::size_t level = kLevel[std::min<std::uint32_t>(near >> plane, 39)];
        std::uint32_t truth = 0;
        bool minus = false;
        if constexpr (!State::kDecodes) {
          truth = truths[x];
          minus = (truth & kNegative) != 0;
          truth &= ~kNegative;
        }
        if (left != 0) {
          const bool first = left >> plane == 2;
          left |= static_cast<std::uint32_t>(c.bit(s.more[(first ? 0 : kLevels) + level], (truth >> plane & 1) != 0))
                  << plane;
          *k = left;
          continue;
        }
        std::size_t above = 0;
        if (parents) above = std::min<std::uint32_t>(2, parents[(x + q.shift_x) >> 1] >> plane);
        if (!c.bit(s.some[above * kLevels + level], (truth >> plane) != 0)) continue;
        left = *k = 1U << plane;
        const int h = std::clamp(g[-1] + g[1], -1, 1), v = std::clamp(g[-n] + g[n], -1, 1), place = 3 * h + v;
        bool negative = false;
        if constexpr (!State::kDecodes) negative = minus;
        negative = c.bit(s.sign[static_cast<std::size_t>(std::abs(place))], negative != (place < 0)) != (place < 0);
        *g = negative ? -1 : 1;
      }
    }
  }

  std::array<Set, 8> sets_;
};

// The pieces that a thread works on.
std::vector<Piece>& own_pieces() {
  thread_local std::vector<Piece> pieces;
  return pieces;
}

// Fills the magnitudes of a piece and what is told of them; the number of those that are not 0.
std::uint64_t load(Piece& q, const std::function<void(const BandPart& from, int n, std::uint32_t* to)>& read) {
  q.magnitude.resize(static_cast<std::size_t>(q.width) * static_cast<std::size_t>(q.height));
  q.bits.assign(q.active.size(), 0);
  std::uint32_t count = 0, all = 0;
  for (int by = 0; by < q.blocks_down; ++by) {
    for (int y = by * kBlock; y < std::min(q.height, (by + 1) * kBlock); ++y) {
      std::uint32_t* m = q.magnitude.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(q.width);
      read(q.row(y), q.width, m);
      for (int x = 0; x < q.width; ++x) count += (m[x] & ~kNegative) != 0;
    }
    for (int bx = 0; bx < q.blocks_across; ++bx) {
      std::uint32_t some = 0;
      for (int y = by * kBlock; y < std::min(q.height, (by + 1) * kBlock); ++y) {
        const std::uint32_t* m = q.magnitude.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(q.width);
        for (int x = bx * kBlock; x < std::min(q.width, (bx + 1) * kBlock); ++x) some |= m[x];
      }
      q.bits[q.block(bx, by)] = static_cast<std::uint8_t>(std::bit_width(some & ~kNegative));
      all |= some;
    }
  }
  q.most_bits = static_cast<int>(std::bit_width(all & ~kNegative));
  return count;
}

}  // namespace

PlanesPacked encode_planes(const BandShape& shape, std::uint32_t largest,
                           const std::function<void(const BandPart& from, int n, std::uint32_t* to)>& read) {
  const Grid cells = cells_of(shape);
  const int count = cells.across * cells.down;
  PlanesPacked packed;
  packed.planes = static_cast<int>(std::bit_width(largest));
  std::vector<std::uint64_t> nonzero(static_cast<std::size_t>(count));
  struct Stream {
    Bytes bytes;
    std::vector<std::size_t> ends;
  };
  std::vector<Stream> streams(static_cast<std::size_t>(count));
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(kCell) * kCell, 32),
      [&](int first, int last) {
        std::vector<Piece>& pieces = own_pieces();
        for (int cell = first; cell < last; ++cell) {
          shape_pieces(shape, cells, cell % cells.across, cell / cells.across, pieces);
          for (Piece& q : pieces) nonzero[static_cast<std::size_t>(cell)] += load(q, read);
          Models models;
          RangeEncoder encoder;
          Stream& s = streams[static_cast<std::size_t>(cell)];
          for (int plane = packed.planes - 1; plane >= 0; --plane) {
            checkpoint();
            for (Piece& q : pieces) models.code(encoder, pieces, q, plane);
            s.ends.push_back(encoder.size());
          }
          s.bytes = encoder.finish();
          if (!s.ends.empty()) s.ends.back() = s.bytes.size();
          for (std::size_t& e : s.ends) e = std::min(e, s.bytes.size());
        }
      },
      1);
  for (std::size_t plane = 0; plane < static_cast<std::size_t>(packed.planes); ++plane) {
    Bytes section;
    for (const Stream& s : streams) {
      const std::size_t from = plane == 0 ? 0 : s.ends[plane - 1], to = s.ends[plane];
      put_varint(section, to - from);
      section.insert(section.end(), s.bytes.begin() + static_cast<std::ptrdiff_t>(from),
                     s.bytes.begin() + static_cast<std::ptrdiff_t>(to));
    }
    packed.sections.push_back(std::move(section));
  }
  for (const std::uint64_t n : nonzero) packed.nonzero += n;
  return packed;
}

bool decode_planes(const Sections& sections, int planes, const BandShape& shape,
                   const std::function<void(const BandPart& to, int n, const KnownValues& values)>& write) {
  const Grid cells = cells_of(shape);
  const int count = cells.across * cells.down;
  // The streams of the cells, put together from what is there of the sections.
  std::vector<Bytes> streams(static_cast<std::size_t>(count));
  std::vector<char> cut(static_cast<std::size_t>(count), static_cast<int>(sections.size()) < planes ? 1 : 0);
  for (const auto& section : sections) {
    std::span<const std::uint8_t> rest = section;
    for (std::size_t cell = 0; cell < static_cast<std::size_t>(count); ++cell) {
      const auto length = take_varint(rest);
      const std::size_t have = length ? static_cast<std::size_t>(std::min<std::uint64_t>(*length, rest.size())) : 0;
      if (!length || have < *length) cut[cell] = 1;
      streams[cell].insert(streams[cell].end(), rest.begin(), rest.begin() + static_cast<std::ptrdiff_t>(have));
      rest = rest.subspan(have);
    }
  }
  std::vector<char> good(static_cast<std::size_t>(count), 1);
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(kCell) * kCell, 32),
      [&](int first, int last) {
        std::vector<Piece>& pieces = own_pieces();
        for (int cell = first; cell < last; ++cell) {
          const auto i = static_cast<std::size_t>(cell);
          shape_pieces(shape, cells, cell % cells.across, cell / cells.across, pieces);
          for (Piece& q : pieces) q.left.assign(q.active.size(), static_cast<std::uint8_t>(planes));
          Models models;
          // A whole stream is followed by the zeros that its end stands for.
          if (!cut[i]) streams[i].resize(streams[i].size() + 8);
          RangeDecoder decoder(streams[i]);
          bool going = true;
          for (int plane = planes - 1; plane >= 0 && going; --plane) {
            checkpoint();
            for (Piece& q : pieces) {
              if (going) going = models.code(decoder, pieces, q, plane);
            }
          }
          good[i] = going || cut[i];
          for (const Piece& q : pieces) {
            for (int y = 0; y < q.height; ++y)
              write(q.row(y), q.width,
                    {q.known.data() + q.at(0, y), q.sign.data() + q.at(0, y), q.left.data() + q.block(0, y / kBlock)});
          }
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::internal::packing
