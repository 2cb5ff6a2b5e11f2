#pragma once
// How a bit plane of a band is coded: which bits are asked, and what makes each likely. One description for both ways.

#include <algorithm>
#include <array>
#include <cstring>

#include "pack/band_pieces.hpp"
#include "pack/range_coder.hpp"

namespace sieve::internal::packing {

// Classes of a sum, by where each begins; the last holds all above.
template <std::size_t classes, std::size_t sums>
constexpr std::array<std::uint8_t, sums> classes_from(const std::array<int, classes>& begin) {
  std::array<std::uint8_t, sums> t{};
  for (std::size_t sum = 0; sum < sums; ++sum) {
    std::size_t c = classes - 1;
    while (begin[c] > static_cast<int>(sum)) --c;
    t[sum] = static_cast<std::uint8_t>(c);
  }
  return t;
}
inline constexpr std::size_t kNearClasses = 11, kAroundClasses = 16;
inline constexpr auto kNear = classes_from<kNearClasses, 512>({0, 1, 2, 4, 6, 8, 11, 15, 21, 30, 39});
inline constexpr auto kAround =
    classes_from<kAroundClasses, 1024>({0, 1, 2, 3, 4, 6, 8, 11, 15, 21, 30, 39, 60, 90, 140, 220});

// What the signs of the neighbors let expect, by 5 (left + right) + above + below + 12.
struct SignContext {
  std::uint8_t kind;
  bool negative;
};
inline constexpr auto kSigns = [] {
  std::array<SignContext, 25> t{};
  for (int across = -2; across <= 2; ++across) {
    for (int down = -2; down <= 2; ++down) {
      const int place = 3 * std::clamp(across, -1, 1) + std::clamp(down, -1, 1);
      t[static_cast<std::size_t>(5 * across + down + 12)] = {static_cast<std::uint8_t>(place < 0 ? -place : place),
                                                             place < 0};
    }
  }
  return t;
}();

class PlaneModels {
 public:
  // Codes one bit plane of a piece. When decoding, it stops before the first block for which the stream holds no more
  // bits.
  template <class Coder>
  bool code(Coder& c, const std::vector<Piece>& all, Piece& q, int plane) {
    Set& s = sets_[(q.plane > 0 ? 4 : 0) + static_cast<std::size_t>(q.kind)];
    if (c.ended()) return false;
    if (q.begun) {
      q.double_sizes();
    } else {
      q.begun = c.bit(s.begins[0], q.most_bits > plane);
    }
    if (!q.begun) {
      if constexpr (Coder::kDecodes) std::fill(q.left.begin(), q.left.end(), static_cast<std::uint8_t>(plane));
      return true;
    }
    const auto other = [&](int at) { return at >= 0 ? &all[static_cast<std::size_t>(at)] : nullptr; };
    const Around around{other(q.parent), other(q.before)};
    // Neighbors along an edge tell more than those across it.
    switch (q.kind) {
      case BandKind::low:
        return code_rows<3, 3, 1>(c, s, q, around, plane);
      case BandKind::across:
        return code_rows<2, 4, 1>(c, s, q, around, plane);
      case BandKind::down:
        return code_rows<4, 2, 1>(c, s, q, around, plane);
      default:
        return code_rows<2, 2, 2>(c, s, q, around, plane);
    }
  }

 private:
  struct Around {
    const Piece *parent, *before;
  };
  // What is known of the others of a quad: something in it is not 0 since an earlier plane; or since this one, and then
  // one has been found, or there are at least two more, or one more beside this one.
  enum QuadState : std::size_t { kOld, kFound, kOpen, kNarrow, kQuadStates };
  template <std::size_t n>
  using Likely = std::array<std::uint8_t, n>;
  template <std::size_t n>
  struct Bits : std::array<SteadyBit, n> {
    explicit Bits(const Likely<n>& first) {
      for (std::size_t i = 0; i < n; ++i) (*this)[i].level = static_cast<std::uint16_t>(first[i] << 8);
    }
  };
  // What is asked, by what is known, and how likely a 1 is at first, in 1/256: the mean over photographs at 1/4 to 4
  // bits a pixel.
  struct Set {
    Bits<12 * kAroundClasses> quad{{{
        19,  43,  57,  93,  93,  127, 136, 162, 176, 192, 194, 197, 200, 216, 216, 216,  // by what is around it
        37,  67,  82,  110, 110, 138, 150, 170, 184, 197, 203, 209, 218, 223, 223, 223,  // with a parent of 1
        76,  104, 120, 133, 143, 159, 171, 184, 194, 205, 213, 217, 219, 220, 229, 240,  // and of more
        25,  50,  62,  93,  93,  121, 125, 147, 153, 153, 155, 162, 190, 196, 196, 196,  // 1 in the plane before
        39,  69,  81,  106, 106, 129, 137, 154, 155, 163, 178, 178, 178, 178, 178, 178,  //
        70,  87,  100, 112, 124, 140, 148, 153, 161, 162, 170, 178, 207, 234, 234, 234,  //
        44,  72,  89,  114, 116, 148, 155, 173, 183, 194, 194, 196, 208, 240, 240, 240,  // 2 to 5
        61,  89,  104, 126, 129, 156, 163, 179, 190, 201, 203, 203, 203, 203, 203, 203,  //
        95,  117, 129, 146, 155, 170, 181, 188, 198, 202, 204, 209, 210, 219, 231, 240,  //
        80,  102, 131, 146, 159, 179, 189, 205, 211, 219, 219, 221, 221, 221, 240, 240,  // more
        99,  116, 140, 156, 169, 186, 195, 205, 216, 224, 226, 233, 233, 240, 240, 240,  //
        135, 150, 167, 182, 193, 202, 209, 218, 223, 228, 231, 236, 236, 236, 237, 237,  //
    }}};
    Bits<kQuadStates * kNearClasses> some{{{
        51,  51,  51,  71,  84,  99,  115, 126, 133, 136, 140,  // kOld
        39,  39,  59,  77,  99,  109, 118, 125, 132, 136, 143,  // kFound
        72,  94,  115, 134, 134, 140, 146, 152, 164, 170, 174,  // kOpen
        125, 163, 166, 178, 178, 178, 185, 192, 200, 205, 205,  // kNarrow
    }}};
    Bits<20> block{{{2, 13, 47, 92, 192, 18, 73, 148, 214, 239, 22, 43, 113, 233, 240, 48, 124, 183, 228, 240}}};
    Bits<2 * kNearClasses> more{{{
        28, 29, 38, 41, 50, 59, 70, 84, 102, 112, 126,  // the first bit after the highest
        62, 62, 62, 66, 67, 70, 74, 80, 87,  97,  118,  // all others
    }}};
    Bits<5> sign{{{128, 128, 128, 128, 128}}};
    Bits<1> begins{{{36}}};
  };
  // More than a plane of a block takes: two bits and a quarter a value and one for all, each of which costs 12 bits at
  // most.
  static constexpr std::size_t kMostBytes = 256;

  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, class Coder>
  static bool code_rows(Coder& coder, Set& s, Piece& q, const Around& around, int plane) {
    for (int by = 0; by < q.blocks_down; ++by) {
      auto c = coder.take(kMostBytes * static_cast<std::size_t>(q.blocks_across));
      for (int bx = 0; bx < q.blocks_across; ++bx) {
        if (c.ended()) {
          coder.put(c);
          return false;
        }
        const std::size_t b = q.block(bx, by);
        if (q.active[b] || block_begins(c, s, q, around, plane, bx, by)) {
          q.active[b] = 1;
          code_block<wx, wy, wd>(c, s, q, around, plane, bx * kBlock, by * kBlock);
        }
        if constexpr (Coder::kDecodes) q.left[b] = static_cast<std::uint8_t>(plane);
      }
      coder.put(c);
    }
    return true;
  }

  template <class State>
  static bool block_begins(State& c, Set& s, const Piece& q, const Around& around, int plane, int bx, int by) {
    const std::size_t b = q.block(bx, by);
    const std::uint8_t* a = q.active.data() + b;
    int near = a[-1] + a[1] + a[-q.block_stride] + a[q.block_stride];
    if (const Piece* parent = around.parent) {
      const int px = std::clamp(((bx * kBlock + q.shift_x) >> 1) / kBlock, 0, parent->blocks_across - 1),
                py = std::clamp(((by * kBlock + q.shift_y) >> 1) / kBlock, 0, parent->blocks_down - 1);
      near += 5 * parent->active[parent->block(px, py)];
    }
    if (around.before) near += 10 * around.before->active[b];
    bool some = false;
    if constexpr (!State::kDecodes) some = q.bits[b] > plane;
    return c.bit(s.block[static_cast<std::size_t>(near)], some);
  }

  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, class State>
  [[gnu::always_inline]] static void code_block(State& c, Set& s, Piece& q, const Around& around, int plane, int x0,
                                                int y0) {
    const int x1 = std::min(x0 + kBlock, q.width), y1 = std::min(y0 + kBlock, q.height), n = q.stride;
    for (int y = y0; y < y1; y += 2) {
      std::uint8_t* p = q.size.data() + q.at(x0 - 1, y - 1);
      std::int8_t* g = q.sign.data() + q.at(x0, y);
      std::uint32_t* v = q.values.data() + q.quad(x0 / 2, y / 2);
      const std::uint8_t* parents = nullptr;
      if (around.parent) parents = around.parent->size.data() + around.parent->at(0, (y + q.shift_y) >> 1);
      const std::uint8_t* same = around.before ? around.before->size.data() + q.at(x0, y) : nullptr;
      for (int x = x0; x < x1; x += 2, p += 2, g += 2, v += 4) {
        std::size_t context = parents ? std::min<std::size_t>(2, parents[(x + q.shift_x) >> 1]) : 0;
        if (same) {
          const int sum = same[0] + same[1] + same[n] + same[n + 1];
          context += 3 * static_cast<std::size_t>((sum > 0) + (sum > 1) + (sum > 5));
          same += 2;
        }
        if (x + 1 < q.width && y + 1 < q.height) {
          code_quad<wx, wy, wd>(c, s, {p, g, v, {}}, n, plane, context);
        } else {
          code_part<wx, wy, wd>(c, s, {p, g, v, {}}, n, plane, context, x + 1 < q.width, y + 1 < q.height);
        }
      }
    }
  }

  // A quad: its values, its signs, and its sizes with those around it, the 4x4 from p on.
  struct Quad {
    std::uint8_t* p;
    std::int8_t* g;
    std::uint32_t* v;
    std::uint32_t r[4];
    bool fresh = false, found = false;
  };
  static std::uint32_t byte(std::uint32_t row, int i) { return row >> (8 * i) & 255U; }

  // The value i of a quad, of which `rest` come after it.
  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, int i, class State>
  [[gnu::always_inline]] static void code_value(State& c, Set& s, Quad& q, int n, int plane, int rest) {
    constexpr int dx = i % 2, dy = i / 2;
    std::uint32_t& row = q.r[1 + dy];
    const std::uint32_t across = q.r[dy] + q.r[dy + 2], own = byte(row, 1 + dx);
    const std::uint32_t near = wx * (byte(row, dx) + byte(row, 2 + dx)) + wy * byte(across, 1 + dx) +
                               wd * (byte(across, dx) + byte(across, 2 + dx));
    const std::size_t level = kNear[near];
    std::uint32_t truth = 0;
    if constexpr (!State::kDecodes) truth = (q.v[i] & ~kNegative) >> plane;
    std::uint8_t* const size = q.p + (1 + dy) * n + 1 + dx;
    if (own != 0) {
      std::uint32_t add = c.bit(s.more[(own == 2 ? 0 : kNearClasses) + level], (truth & 1) != 0) ? 1 : 0;
      if constexpr (State::kDecodes) q.v[i] |= add << plane;
      add &= ~own;  // the largest size is odd already
      row |= add << (8 * (1 + dx));
      *size = static_cast<std::uint8_t>(own | add);
      return;
    }
    if (!q.fresh || q.found || rest > 0) {
      const std::size_t state = !q.fresh ? kOld : q.found ? kFound : rest > 1 ? kOpen : kNarrow;
      if (!c.bit(s.some[state * kNearClasses + level], truth != 0)) return;
    }
    q.found = true;
    row |= 1U << (8 * (1 + dx));
    *size = 1;
    std::int8_t* const sign = q.g + dy * n + dx;
    const SignContext& expected = kSigns[static_cast<std::size_t>(5 * (sign[-1] + sign[1]) + sign[-n] + sign[n] + 12)];
    bool negative = false;
    if constexpr (!State::kDecodes) negative = (q.v[i] & kNegative) != 0;
    negative = c.bit(s.sign[expected.kind], negative != expected.negative) != expected.negative;
    *sign = negative ? -1 : 1;
    if constexpr (State::kDecodes) q.v[i] = 1U << plane | (negative ? kNegative : 0);
  }

  // Whether there is something in it to code in this plane.
  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, class State>
  [[gnu::always_inline]] static bool begin_quad(State& c, Set& s, Quad& q, int n, int plane, std::size_t context) {
    for (int i = 0; i < 4; ++i) std::memcpy(&q.r[i], q.p + i * n, 4);
    if (((q.r[1] | q.r[2]) & 0x00ffff00U) != 0) return true;
    const std::uint32_t inner = q.r[1] + q.r[2], outer = q.r[0] + q.r[3];
    const std::uint32_t near = wx * (byte(inner, 0) + byte(inner, 3)) + wy * (byte(outer, 1) + byte(outer, 2)) +
                               wd * (byte(outer, 0) + byte(outer, 3));
    bool some = false;
    if constexpr (!State::kDecodes) some = ((q.v[0] | q.v[1] | q.v[2] | q.v[3]) & ~kNegative) >> plane != 0;
    q.fresh = true;
    return c.bit(s.quad[context * kAroundClasses + kAround[near]], some);
  }

  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, class State>
  [[gnu::always_inline]] static void code_quad(State& c, Set& s, Quad q, int n, int plane, std::size_t context) {
    if (!begin_quad<wx, wy, wd>(c, s, q, n, plane, context)) return;
    code_value<wx, wy, wd, 0>(c, s, q, n, plane, 3);
    code_value<wx, wy, wd, 1>(c, s, q, n, plane, 2);
    code_value<wx, wy, wd, 2>(c, s, q, n, plane, 1);
    code_value<wx, wy, wd, 3>(c, s, q, n, plane, 0);
  }

  // At the right or lower rim of a band of odd size.
  template <std::uint32_t wx, std::uint32_t wy, std::uint32_t wd, class State>
  [[gnu::noinline]] static void code_part(State& c, Set& s, Quad q, int n, int plane, std::size_t context, bool wide,
                                          bool high) {
    if (!begin_quad<wx, wy, wd>(c, s, q, n, plane, context)) return;
    code_value<wx, wy, wd, 0>(c, s, q, n, plane, wide || high ? 1 : 0);
    if (wide) code_value<wx, wy, wd, 1>(c, s, q, n, plane, 0);
    if (high) code_value<wx, wy, wd, 2>(c, s, q, n, plane, 0);
  }

  std::array<Set, 8> sets_;
};

}  // namespace sieve::internal::packing
