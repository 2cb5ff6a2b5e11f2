// Bit planes of nested wavelet bands, from the highest down, so that a stream that is cut off still gives a picture. Each
// cell of the picture, with its part of every band of all planes, is a stream of its own.

#include <algorithm>
#include <array>
#include <bit>
#include <cstdlib>

#include "pack/codecs.hpp"
#include "pack/range_coder.hpp"
#include "pack/varint.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::pack_detail {

namespace {

constexpr int kCell = 512;   // pixels to a side
constexpr int kBlock = 8;    // coefficients to a side that are skipped together while all are 0

enum Kind { low, across, down, diagonal };  // what a band is high along

// The part of one band that lies in a cell.
struct Piece {
  static constexpr std::uint32_t kNegative = 1U << 31;
  Kind kind = low;
  bool color = false;      // of any plane but the first
  int plane = 0;
  int x = 0, y = 0;        // place in the nested plane
  int width = 0, height = 0;
  int parent = -1;         // the piece of the next coarser level
  int shift_x = 0, shift_y = 0;  // (i + shift) >> 1 is the place in the parent
  int stride = 0, block_stride = 0, blocks_across = 0, blocks_down = 0;
  std::vector<std::uint32_t> known;    // magnitudes as far as they are coded, with a rim of zeros
  std::vector<std::int8_t> sign;       // -1, 0, 1, with a rim
  std::vector<std::uint8_t> active;    // blocks that hold something, with a rim
  std::vector<std::uint8_t> left;      // decoder: bits of each block that are not known
  std::vector<std::uint32_t> magnitude;  // encoder: all bits, the sign in the highest
  std::vector<std::uint8_t> bits;        // encoder: of the largest in each block
  std::size_t at(int i, int j) const { return static_cast<std::size_t>(j + 1) * static_cast<std::size_t>(stride) + static_cast<std::size_t>(i + 1); }
  std::size_t block(int i, int j) const { return static_cast<std::size_t>(j + 1) * static_cast<std::size_t>(block_stride) + static_cast<std::size_t>(i + 1); }
};

struct Grid {
  int across, down;
};
Grid cells_of(const BandPlane& p) { return {(p.width + kCell - 1) / kCell, (p.height + kCell - 1) / kCell}; }

int halved(int n, int levels) {
  for (; levels > 0; --levels) n = (n + 1) / 2;
  return n;
}

// The pieces of a cell, coarse before fine, and all planes at each level.
std::vector<Piece> pieces_of(const std::vector<BandPlane>& planes, const Grid& cells, int cx, int cy) {
  std::vector<Piece> all;
  const int levels = planes[0].levels;
  std::vector<std::array<int, 4>> before(planes.size(), {-1, -1, -1, -1});
  for (int level = levels; level >= 0; --level) {
    for (std::size_t p = 0; p < planes.size(); ++p) {
      const int w = planes[p].width, h = planes[p].height;
      const auto add = [&](Kind kind, int x0, int y0, int bw, int bh) {
        const int left = static_cast<int>(static_cast<long long>(bw) * cx / cells.across), right = static_cast<int>(static_cast<long long>(bw) * (cx + 1) / cells.across);
        const int top = static_cast<int>(static_cast<long long>(bh) * cy / cells.down), bottom = static_cast<int>(static_cast<long long>(bh) * (cy + 1) / cells.down);
        Piece q;
        q.kind = kind;
        q.color = p > 0;
        q.plane = static_cast<int>(p);
        q.x = x0 + left;
        q.y = y0 + top;
        q.width = right - left;
        q.height = bottom - top;
        int& last = before[p][static_cast<std::size_t>(kind)];
        if (last >= 0) {
          const Piece& up = all[static_cast<std::size_t>(last)];
          // Places in the parent's band, and from there in its piece.
          const int level_x = halved(w, level + 2), level_y = halved(h, level + 2);
          q.parent = last;
          q.shift_x = left - 2 * (up.x - (kind == across || kind == diagonal ? level_x : 0));
          q.shift_y = top - 2 * (up.y - (kind == down || kind == diagonal ? level_y : 0));
          // The rim about the parent may be read, nothing beyond it.
          const auto fits = [](int shift, int n, int room) { return n > 0 && room > 0 && (shift >> 1) >= -1 && ((n - 1 + shift) >> 1) <= room; };
          if (!fits(q.shift_x, q.width, up.width) || !fits(q.shift_y, q.height, up.height)) q.parent = -1;
        }
        last = static_cast<int>(all.size());
        q.stride = q.width + 2;
        q.blocks_across = (q.width + kBlock - 1) / kBlock;
        q.blocks_down = (q.height + kBlock - 1) / kBlock;
        q.block_stride = q.blocks_across + 2;
        const std::size_t n = static_cast<std::size_t>(q.stride) * static_cast<std::size_t>(q.height + 2), b = static_cast<std::size_t>(q.block_stride) * static_cast<std::size_t>(q.blocks_down + 2);
        q.known.assign(n, 0);
        q.sign.assign(n, 0);
        q.active.assign(b, 0);
        all.push_back(std::move(q));
      };
      if (level == levels) {
        add(low, 0, 0, halved(w, levels), halved(h, levels));
        continue;
      }
      const int lw = halved(w, level + 1), lh = halved(h, level + 1), fw = halved(w, level), fh = halved(h, level);
      add(across, lw, 0, fw - lw, lh);
      add(down, 0, lh, lw, fh - lh);
      add(diagonal, lw, lh, fw - lw, fh - lh);
    }
  }
  return all;
}

constexpr std::array<std::uint8_t, 40> kLevel = [] {
  std::array<std::uint8_t, 40> t{};
  for (int i = 0; i < 40; ++i) t[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(i == 0 ? 0 : i < 2 ? 1 : i < 4 ? 2 : i < 6 ? 3 : i < 8 ? 4 : i < 11 ? 5 : i < 15 ? 6 : i < 21 ? 7 : i < 30 ? 8 : i < 39 ? 9 : 10);
  return t;
}();
constexpr int kLevels = 11;

class Models {
 public:
  // One plane of a piece. Stops, where the stream has ended, before a block it does not know.
  template <class Coder>
  bool code(Coder& c, std::vector<Piece>& all, Piece& q, int plane) {
    const Piece* parent = q.parent >= 0 ? &all[static_cast<std::size_t>(q.parent)] : nullptr;
    Set& s = sets_[(q.color ? 1 : 0) * 4 + static_cast<std::size_t>(q.kind)];
    for (int by = 0; by < q.blocks_down; ++by) {
      for (int bx = 0; bx < q.blocks_across; ++bx) {
        if (c.ended()) return false;
        const std::size_t b = q.block(bx, by);
        if (!q.active[b]) {
          const std::uint8_t* a = q.active.data() + b;
          int near = a[-1] + a[1] + a[-q.block_stride] + a[q.block_stride];
          if (parent) {
            const int px = std::clamp(((bx * kBlock + q.shift_x) >> 1) / kBlock, 0, parent->blocks_across - 1), py = std::clamp(((by * kBlock + q.shift_y) >> 1) / kBlock, 0, parent->blocks_down - 1);
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
        code_block(c, s, q, parent, plane, bx * kBlock, by * kBlock);
        if constexpr (Coder::kDecodes) q.left[b] = static_cast<std::uint8_t>(plane);
      }
    }
    return true;
  }

 private:
  struct Set {
    std::array<Bit, 3 * kLevels> some;
    std::array<Bit, 10> block;
    std::array<Bit, 2 * kLevels> more;
    std::array<Bit, 5> sign;
  };

  template <class Coder>
  static void code_block(Coder& c, Set& s, Piece& q, const Piece* parent, int plane, int x0, int y0) {
    const int x1 = std::min(x0 + kBlock, q.width), y1 = std::min(y0 + kBlock, q.height), n = q.stride;
    // Neighbors along an edge tell more than those across it.
    const std::uint32_t wx = q.kind == across ? 2 : q.kind == down ? 4 : q.kind == low ? 3 : 2, wy = q.kind == across ? 4 : q.kind == down ? 2 : q.kind == low ? 3 : 2, wd = q.kind == diagonal ? 2 : 1;
    for (int y = y0; y < y1; ++y) {
      const std::uint32_t* parents = nullptr;
      if (parent) parents = parent->known.data() + parent->at(0, (y + q.shift_y) >> 1);
      std::uint32_t* k = q.known.data() + q.at(x0, y);
      std::int8_t* g = q.sign.data() + q.at(x0, y);
      // Sums of what lies above and below: of the places before, here, and after.
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
        if constexpr (!Coder::kDecodes) {
          truth = q.magnitude[static_cast<std::size_t>(y) * static_cast<std::size_t>(q.width) + static_cast<std::size_t>(x)];
          minus = (truth & Piece::kNegative) != 0;
          truth &= ~Piece::kNegative;
        }
        if (*k != 0) {
          const bool first = *k >> plane == 2;
          left = *k |= static_cast<std::uint32_t>(c.bit(s.more[(first ? 0 : kLevels) + level], (truth >> plane & 1) != 0)) << plane;
          continue;
        }
        std::size_t above = 0;
        if (parents) above = std::min<std::uint32_t>(2, parents[(x + q.shift_x) >> 1] >> plane);
        if (!c.bit(s.some[above * kLevels + level], (truth >> plane) != 0)) continue;
        left = *k = 1U << plane;
        const int h = std::clamp(g[-1] + g[1], -1, 1), v = std::clamp(g[-n] + g[n], -1, 1), place = 3 * h + v;
        bool negative = false;
        if constexpr (!Coder::kDecodes) negative = minus;
        negative = c.bit(s.sign[static_cast<std::size_t>(std::abs(place))], negative != (place < 0)) != (place < 0);
        *g = negative ? -1 : 1;
      }
    }
  }

  std::array<Set, 8> sets_;
};

}  // namespace

PlanesPacked encode_planes(const std::vector<BandPlane>& bands) {
  const Grid cells = cells_of(bands[0]);
  const int count = cells.across * cells.down;
  PlanesPacked packed;
  std::vector<std::uint64_t> nonzero(static_cast<std::size_t>(count));
  const auto load = [&](int cell) {
    std::vector<Piece> pieces = pieces_of(bands, cells, cell % cells.across, cell / cells.across);
    for (Piece& q : pieces) {
      const BandPlane& from = bands[static_cast<std::size_t>(q.plane)];
      q.magnitude.resize(static_cast<std::size_t>(q.width) * static_cast<std::size_t>(q.height));
      q.bits.assign(q.active.size(), 0);
      for (int y = 0; y < q.height; ++y) {
        const std::int32_t* r = from.values.data() + static_cast<std::size_t>(q.y + y) * static_cast<std::size_t>(from.width) + static_cast<std::size_t>(q.x);
        std::uint32_t* m = q.magnitude.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(q.width);
        for (int x = 0; x < q.width; ++x) {
          // The sign in the highest bit.
          const std::uint32_t a = static_cast<std::uint32_t>(std::abs(r[x]));
          m[x] = a | (r[x] < 0 ? Piece::kNegative : 0);
          auto& b = q.bits[q.block(x / kBlock, y / kBlock)];
          b = std::max(b, static_cast<std::uint8_t>(std::bit_width(a)));
        }
      }
    }
    return pieces;
  };
  std::uint32_t bits = 0;
  const int rows = bands[0].height, all_rows = rows * static_cast<int>(bands.size());
  std::vector<std::uint32_t> of_row(static_cast<std::size_t>(all_rows));
  parallel_rows(all_rows, static_cast<std::size_t>(bands[0].width), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const std::int32_t* r = bands[static_cast<std::size_t>(i / rows)].values.data() + static_cast<std::size_t>(i % rows) * static_cast<std::size_t>(bands[0].width);
      std::uint32_t some = 0;
      for (int x = 0; x < bands[0].width; ++x) some |= static_cast<std::uint32_t>(std::abs(r[x]));
      of_row[static_cast<std::size_t>(i)] = some;
    }
  });
  for (const std::uint32_t some : of_row) bits |= some;
  packed.planes = static_cast<int>(std::bit_width(bits));
  struct Stream {
    Bytes bytes;
    std::vector<std::size_t> ends;
  };
  std::vector<Stream> streams(static_cast<std::size_t>(count));
  parallel_rows(
      count, static_cast<std::size_t>(kCell) * kCell * 32,
      [&](int first, int last) {
        for (int cell = first; cell < last; ++cell) {
          std::vector<Piece> pieces = load(cell);
          for (const Piece& q : pieces) nonzero[static_cast<std::size_t>(cell)] += static_cast<std::uint64_t>(std::count_if(q.magnitude.begin(), q.magnitude.end(), [](std::uint32_t m) { return (m & ~Piece::kNegative) != 0; }));
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
      section.insert(section.end(), s.bytes.begin() + static_cast<std::ptrdiff_t>(from), s.bytes.begin() + static_cast<std::ptrdiff_t>(to));
    }
    packed.sections.push_back(std::move(section));
  }
  for (const std::uint64_t n : nonzero) packed.nonzero += n;
  return packed;
}

bool decode_planes(const Sections& sections, int planes, std::vector<BandPlane>& bands, std::vector<std::vector<std::uint8_t>>& left) {
  const Grid cells = cells_of(bands[0]);
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
  left.clear();
  for (BandPlane& b : bands) {
    b.values.assign(static_cast<std::size_t>(b.width) * static_cast<std::size_t>(b.height), 0);
    left.emplace_back(b.values.size(), static_cast<std::uint8_t>(planes));
  }
  std::vector<char> good(static_cast<std::size_t>(count), 1);
  parallel_rows(
      count, static_cast<std::size_t>(kCell) * kCell * 32,
      [&](int first, int last) {
        for (int cell = first; cell < last; ++cell) {
          const auto i = static_cast<std::size_t>(cell);
          std::vector<Piece> pieces = pieces_of(bands, cells, cell % cells.across, cell / cells.across);
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
            BandPlane& to = bands[static_cast<std::size_t>(q.plane)];
            for (int y = 0; y < q.height; ++y) {
              const std::size_t row = static_cast<std::size_t>(q.y + y) * static_cast<std::size_t>(to.width) + static_cast<std::size_t>(q.x);
              for (int x = 0; x < q.width; ++x) {
                const auto m = static_cast<std::int32_t>(q.known[q.at(x, y)]);
                to.values[row + static_cast<std::size_t>(x)] = q.sign[q.at(x, y)] < 0 ? -m : m;
                left[static_cast<std::size_t>(q.plane)][row + static_cast<std::size_t>(x)] = q.left[q.block(x / kBlock, y / kBlock)];
              }
            }
          }
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::pack_detail
