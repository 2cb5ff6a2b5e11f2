#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdlib>

#include "core/to_integer.hpp"
#include "pack/codecs.hpp"
#include "pack/cosine_lanes.hpp"
#include "pack/range_coder.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal::packing {

namespace {

constexpr int kStripe = 16;  // block rows of a section

constexpr std::array<std::uint8_t, 64> kZigzag = [] {
  std::array<std::uint8_t, 64> z{};
  int n = 0;
  for (int d = 0; d < 15; ++d) {
    for (int i = 0; i <= d; ++i) {
      const int u = d % 2 == 0 ? i : d - i, v = d - u;
      if (u < 8 && v < 8) z[static_cast<std::size_t>(n++)] = static_cast<std::uint8_t>(8 * v + u);
    }
  }
  return z;
}();

// How much coarser a coefficient is quantized where the eye is less keen: from the contrast sensitivity over frequency,
// 1 at the lowest and about 5 at the highest, twice as much in the color planes.
float coarser(int at, bool color, bool perceptual) {
  if (!perceptual) return 1;
  const int across = at % 8, down = at / 8;
  const float f = std::sqrt(static_cast<float>(across * across + down * down)) / 8;
  return (1 + 3 * f * f) * (color ? 2 : 1);
}

struct Steps {
  std::array<float, 64> step{}, per{};
  Steps(const CosineCoding& c, bool color) {
    for (int i = 0; i < 64; ++i) {
      step[static_cast<std::size_t>(i)] = c.step * coarser(i, color, c.perceptual);
      per[static_cast<std::size_t>(i)] = 1 / step[static_cast<std::size_t>(i)];
    }
  }
};

constexpr int kMost = 32767;

// The zigzag place of the last coefficient that is not 0, of a mask of those that are not.
constexpr std::array<std::uint8_t, 64> kPlaceOnPath = [] {
  std::array<std::uint8_t, 64> t{};
  for (std::size_t i = 0; i < 64; ++i) t[kZigzag[i]] = static_cast<std::uint8_t>(i);
  return t;
}();
int last_of(std::uint64_t some) {
  int last = 0;
  while (some != 0) {
    const int at = 63 - std::countl_zero(some);
    last = std::max<int>(last, kPlaceOnPath[static_cast<std::size_t>(at)]);
    some &= (std::uint64_t{1} << (at / 8 * 8)) - 1;  // in a row the rightmost comes last
  }
  return last;
}

// Magnitudes of a block, at most 32: more make no difference. Ten to a row: what lies beyond its right and lower side
// is 0.
constexpr int kRow = 10;
struct Trace {
  std::array<std::uint8_t, kRow * kRow> magnitude{};
  int last = 0;  // how many coefficients were coded
  int dc = 0, dc_off = 0;
};
constexpr std::array<std::uint8_t, 64> kPadded = [] {
  std::array<std::uint8_t, 64> t{};
  for (std::size_t i = 0; i < 64; ++i) t[i] = static_cast<std::uint8_t>(kZigzag[i] / 8 * kRow + kZigzag[i] % 8);
  return t;
}();

// Classes of a sum of magnitudes, 0 to 7, for all sums that there are.
constexpr std::array<std::uint8_t, 256> kClass = [] {
  constexpr std::array<std::uint8_t, 16> few = {0, 1, 2, 3, 3, 4, 4, 5, 5, 5, 6, 6, 6, 6, 6, 6};
  std::array<std::uint8_t, 256> t{};
  for (std::size_t i = 0; i < t.size(); ++i) t[i] = i < few.size() ? few[i] : 7;
  return t;
}();
std::size_t level(int sum) { return kClass[static_cast<std::size_t>(sum)]; }

// The probabilities of one plane kind: first plane, others.
class Model {
 public:
  // Codes a block: when encoding, `q` holds its coefficients and bit i of `some` tells whether coefficient i is not 0;
  // when decoding, `q` is all 0 and is filled. `now` receives the magnitudes for the blocks that follow.
  template <class Coder>
  void code(Coder& coder, std::int16_t* q, std::uint64_t some, Trace& now, const Trace& left, const Trace& up,
            int corner_dc) {
    auto c = coder.take(kMostBytes);
    if (now.last > 0) now.magnitude.fill(0);
    code_first(c, q, now, left, up, corner_dc);
    int last = 0;
    if constexpr (!Coder::kDecodes) last = last_of(some);
    const int about = left.last + up.last;
    last = code_last(c, last, level(about == 0 ? 0 : 1 + about / 4));
    now.last = last;
    for (int i = last; i > 0; --i) {
      const auto zig = static_cast<std::size_t>(i);
      const std::size_t at = kZigzag[zig], padded = kPadded[zig];
      std::uint8_t* m = now.magnitude.data() + padded;
      const int inside = 2 * (m[1] + m[kRow]) + m[kRow + 1] + m[2] + m[2 * kRow];
      const int beside = left.magnitude[padded] + up.magnitude[padded];
      const std::size_t other = static_cast<std::size_t>(beside > 0) + (beside > 1) + (beside > 3);
      // The last one is not 0: that is what makes it the last.
      if (i < last && !c.bit(some_[(kPlace[zig] * 8 + level(inside)) * 4 + other], q[at] != 0)) continue;
      const int a = 1 + static_cast<int>(size_[level((inside + 2 * beside) / 2) + (kPlace[zig] < 3 ? 8 : 0)].code(
                            c, static_cast<std::uint32_t>(Coder::kDecodes ? 0 : std::abs(q[at]) - 1)));
      const bool negative = c.raw(q[at] < 0 ? 1 : 0, 1) != 0;
      if constexpr (Coder::kDecodes)
        q[at] = static_cast<std::int16_t>(negative ? -std::min(a, kMost) : std::min(a, kMost));
      *m = static_cast<std::uint8_t>(std::min(a, 32));
    }
    coder.put(c);
  }

 private:
  // More than any block takes: 64 values of up to 45 bits, each of which costs 12 bits at most.
  static constexpr std::size_t kMostBytes = 8192;
  // Diagonals from the first coefficient, 0 to 7.
  static constexpr std::array<std::uint8_t, 64> kPlace = [] {
    std::array<std::uint8_t, 64> t{};
    for (std::size_t i = 0; i < 64; ++i) t[i] = static_cast<std::uint8_t>(std::min(7, kZigzag[i] / 8 + kZigzag[i] % 8));
    return t;
  }();

  // The first coefficient, as its difference from what the blocks about let expect.
  template <class Coder>
  void code_first(Coder& c, std::int16_t* q, Trace& now, const Trace& left, const Trace& up, int d) {
    const int a = left.dc, b = up.dc;
    const int expected = d >= std::max(a, b) ? std::min(a, b) : d <= std::min(a, b) ? std::max(a, b) : a + b - d;
    const int off = q[0] - expected;
    const int m = static_cast<int>(first_[level(std::min((left.dc_off + up.dc_off + 1) / 2, 16))].code(
        c, static_cast<std::uint32_t>(std::abs(off))));
    const bool negative = m > 0 && c.raw(off < 0 ? 1 : 0, 1) != 0;
    now.dc = std::clamp(expected + (negative ? -m : m), -kMost, kMost);
    now.dc_off = std::min(m, 1000);
    if constexpr (Coder::kDecodes) q[0] = static_cast<std::int16_t>(now.dc);
  }

  // A number of 0..63: whether it is 0, then bit by bit.
  template <class Coder>
  int code_last(Coder& c, int last, std::size_t context) {
    if (!c.bit(some_last_[context], last != 0)) return 0;
    auto& tree = last_[context];
    unsigned node = 1;
    for (int i = 5; i >= 0; --i) node = 2 * node + (c.bit(tree[node], (last >> i & 1) != 0) ? 1 : 0);
    return static_cast<int>(node - 64);
  }

  std::array<Bit, 8 * 8 * 4> some_;
  std::array<Count<14>, 16> size_;
  std::array<Count<14>, 8> first_;
  std::array<Bit, 8> some_last_;
  std::array<std::array<Bit, 64>, 8> last_;
};

// Rows of quantized blocks, of all planes, and for the encoder which of their coefficients are not 0.
struct Blocks {
  std::size_t across;
  std::vector<std::int16_t> values;
  std::vector<std::uint64_t> some;
  Blocks(std::size_t planes, int n)
      : across(static_cast<std::size_t>(n)), values(planes * across * 64), some(planes * across) {}
  std::int16_t* block(std::size_t p, std::size_t x) { return values.data() + (p * across + x) * 64; }
};

// A stripe of rows of blocks, left to right and top to bottom, plane after plane at each place. `row_done`: before a
// row is coded, or after it was decoded.
template <class Coder, class Row>
bool code_stripe(Coder& c, std::size_t planes, Blocks& q, int rows, Row row_done) {
  std::vector<Model> models(2);
  const std::size_t n = q.across;
  // The row above and this one, for each plane.
  std::vector<Trace> above(planes * n), row(planes * n);
  const Trace nothing;
  for (int y = 0; y < rows; ++y) {
    checkpoint();
    if constexpr (!Coder::kDecodes) row_done(y);
    for (std::size_t x = 0; x < n; ++x) {
      for (std::size_t p = 0; p < planes; ++p) {
        const Trace* here = row.data() + p * n + x;
        const Trace* over = above.data() + p * n + x;
        // At the border of a stripe the one neighbor that exists is used for all.
        const Trace& left = x > 0 ? here[-1] : y > 0 ? *over : nothing;
        const Trace& up = y > 0 ? *over : left;
        const int corner = x > 0 && y > 0 ? over[-1].dc : y > 0 ? up.dc : left.dc;
        models[p == 0 ? 0 : 1].code(c, q.block(p, x), q.some[p * n + x], row[p * n + x], left, up, corner);
      }
    }
    if constexpr (Coder::kDecodes) row_done(y);
    if (c.ended_long()) return false;
    std::swap(above, row);
  }
  return true;
}

}  // namespace

CosinePacked encode_cosine(const CosineCoding& coding, const std::function<void(int block_row, BlockRow& row)>& fill) {
  const int count = (coding.down + kStripe - 1) / kStripe;
  const std::array<Steps, 2> steps = {Steps(coding, false), Steps(coding, true)};
  CosinePacked packed;
  packed.sections.resize(static_cast<std::size_t>(count));
  std::vector<std::uint64_t> nonzero(static_cast<std::size_t>(count));
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(coding.across) * kStripe, 1024),
      [&](int first, int last) {
        BlockRow row;
        for (std::size_t p = 0; p < coding.planes; ++p) row.emplace_back(8 * coding.across, 8);
        Blocks q(coding.planes, coding.across);
        for (int s = first; s < last; ++s) {
          RangeEncoder encoder;
          std::uint64_t& some = nonzero[static_cast<std::size_t>(s)];
          code_stripe(encoder, coding.planes, q, std::min(kStripe, coding.down - s * kStripe), [&](int y) {
            fill(s * kStripe + y, row);
            for (std::size_t p = 0; p < coding.planes; ++p) {
              const Steps& st = steps[p == 0 ? 0 : 1];
              const float* rows[8];
              for (int v = 0; v < 8; ++v) rows[v] = row[p].row(v);
              lanes::quantize_blocks(rows, st.per.data(), q.block(p, 0), q.some.data() + p * q.across, q.across);
              for (std::size_t x = 0; x < q.across; ++x) {
                // The first one carries the level of the block: to the nearest.
                *q.block(p, x) = to_integer<std::int16_t>(std::nearbyint(rows[0][8 * x] * st.per[0]), -kMost, kMost);
                some += static_cast<std::uint64_t>(std::popcount(q.some[p * q.across + x]));
              }
            }
          });
          packed.sections[static_cast<std::size_t>(s)] = encoder.finish();
        }
      },
      1);
  for (const std::uint64_t n : nonzero) packed.nonzero += n;
  return packed;
}

bool decode_cosine(const Sections& sections, const CosineCoding& coding,
                   const std::function<void(int block_row, const BlockRow& row)>& take) {
  const int count = (coding.down + kStripe - 1) / kStripe;
  if (static_cast<int>(sections.size()) != count) return false;
  const std::array<Steps, 2> steps = {Steps(coding, false), Steps(coding, true)};
  std::vector<char> good(static_cast<std::size_t>(count));
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(coding.across) * kStripe, 1024),
      [&](int first, int last) {
        BlockRow row;
        for (std::size_t p = 0; p < coding.planes; ++p) row.emplace_back(8 * coding.across, 8);
        Blocks q(coding.planes, coding.across);
        for (int s = first; s < last; ++s) {
          RangeDecoder decoder(sections[static_cast<std::size_t>(s)]);
          good[static_cast<std::size_t>(s)] =
              code_stripe(decoder, coding.planes, q, std::min(kStripe, coding.down - s * kStripe), [&](int y) {
                for (std::size_t p = 0; p < coding.planes; ++p) {
                  float* rows[8];
                  for (int v = 0; v < 8; ++v) rows[v] = row[p].row(v);
                  lanes::restore_blocks(q.block(p, 0), steps[p == 0 ? 0 : 1].step.data(), rows, q.across);
                }
                take(s * kStripe + y, row);
                std::fill(q.values.begin(), q.values.end(), std::int16_t{0});
              });
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::internal::packing
