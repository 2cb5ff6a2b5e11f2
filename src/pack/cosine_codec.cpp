#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>

#include "pack/codecs.hpp"
#include "pack/range_coder.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::pack_detail {

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

// How much coarser a coefficient is quantized where the eye is less keen: from the contrast sensitivity over frequency, 1 at the
// lowest and about 5 at the highest, twice as much in the color planes.
float coarser(int at, bool color, bool perceptual) {
  if (!perceptual) return 1;
  const float f = std::sqrt(static_cast<float>((at % 8) * (at % 8) + (at / 8) * (at / 8))) / 8;
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

using Block = std::array<std::int16_t, 64>;

// Magnitudes of a block, at most 255, ten to a row: what lies beyond its right and lower side is 0.
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

// Classes of a sum of magnitudes, 0 to 7.
constexpr std::array<std::uint8_t, 17> kClass = {0, 1, 2, 3, 3, 4, 4, 5, 5, 5, 6, 6, 6, 6, 6, 6, 7};
std::size_t level(int sum) { return kClass[static_cast<std::size_t>(std::min(sum, 16))]; }

// The probabilities of one plane kind: first plane, others.
class Model {
 public:
  // Codes a block: `q` holds it, or is filled (and is all 0 before). `now` is written.
  template <class Coder>
  void code(Coder& c, Block& q, Trace& now, const Trace& left, const Trace& up, int corner_dc) {
    now.magnitude.fill(0);
    code_first(c, q, now, left, up, corner_dc);
    int last = 0;
    if constexpr (!Coder::kDecodes) {
      for (last = 63; last > 0 && q[kZigzag[static_cast<std::size_t>(last)]] == 0;) --last;
    }
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
      const int a = 1 + static_cast<int>(size_[level((inside + 2 * beside) / 2) + (kPlace[zig] < 3 ? 8 : 0)].code(c, static_cast<std::uint32_t>(Coder::kDecodes ? 0 : std::abs(q[at]) - 1)));
      const bool negative = c.raw(q[at] < 0 ? 1 : 0, 1) != 0;
      if constexpr (Coder::kDecodes) q[at] = static_cast<std::int16_t>(negative ? -std::min(a, kMost) : std::min(a, kMost));
      *m = static_cast<std::uint8_t>(std::min(a, 255));
    }
  }

 private:
  // Diagonals from the first coefficient, 0 to 7.
  static constexpr std::array<std::uint8_t, 64> kPlace = [] {
    std::array<std::uint8_t, 64> t{};
    for (std::size_t i = 0; i < 64; ++i) t[i] = static_cast<std::uint8_t>(std::min(7, kZigzag[i] / 8 + kZigzag[i] % 8));
    return t;
  }();

  // The first coefficient, as its difference from what the blocks about let expect.
  template <class Coder>
  void code_first(Coder& c, Block& q, Trace& now, const Trace& left, const Trace& up, int d) {
    const int a = left.dc, b = up.dc;
    const int expected = d >= std::max(a, b) ? std::min(a, b) : d <= std::min(a, b) ? std::max(a, b) : a + b - d;
    const int off = q[0] - expected;
    const int m = static_cast<int>(first_[level((left.dc_off + up.dc_off + 1) / 2)].code(c, static_cast<std::uint32_t>(std::abs(off))));
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

// A stripe of blocks of all planes, left to right and top to bottom, plane after plane at each place. `row_done`: before a row is
// coded, or after it was decoded.
template <class Coder, class Get, class Row>
bool code_stripe(Coder& c, std::size_t planes, int across, int rows, Get get, Row row_done) {
  std::vector<Model> models(2);
  const auto n = static_cast<std::size_t>(across);
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
        // At the border the only neighbor stands for all.
        const Trace& left = x > 0 ? here[-1] : y > 0 ? *over : nothing;
        const Trace& up = y > 0 ? *over : left;
        const int corner = x > 0 && y > 0 ? over[-1].dc : y > 0 ? up.dc : left.dc;
        Block q;
        if constexpr (Coder::kDecodes) q.fill(0);
        if constexpr (!Coder::kDecodes) get(p, static_cast<int>(x), q);
        models[p == 0 ? 0 : 1].code(c, q, row[p * n + x], left, up, corner);
        if constexpr (Coder::kDecodes) get(p, static_cast<int>(x), q);
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
      count, static_cast<std::size_t>(coding.across) * kStripe * 1024,
      [&](int first, int last) {
        BlockRow row;
        for (std::size_t p = 0; p < coding.planes; ++p) row.emplace_back(8 * coding.across, 8);
        for (int s = first; s < last; ++s) {
          RangeEncoder encoder;
          std::uint64_t some = 0;
          code_stripe(
              encoder, coding.planes, coding.across, std::min(kStripe, coding.down - s * kStripe),
              [&](std::size_t p, int bx, Block& q) {
                const Steps& st = steps[p == 0 ? 0 : 1];
                int n = 0;
                for (int v = 0; v < 8; ++v) {
                  const float* f = row[p].row(v) + 8 * bx;
                  for (int u = 0; u < 8; ++u) {
                    const auto i = static_cast<std::size_t>(8 * v + u);
                    // Rounded down below 2/3: zeros cost less than they lose.
                    const float a = std::min(std::fabs(f[u]) * st.per[i] + 0.34F, 32767.0F);
                    const int m = static_cast<int>(a);
                    q[i] = static_cast<std::int16_t>(f[u] < 0 ? -m : m);
                    n += m != 0;
                  }
                }
                // The first one carries the level of the block: to the nearest.
                q[0] = static_cast<std::int16_t>(std::nearbyint(std::clamp(row[p].row(0)[8 * bx] * st.per[0], -32767.0F, 32767.0F)));
                some += static_cast<std::uint64_t>(n);
              },
              [&](int y) { fill(s * kStripe + y, row); });
          packed.sections[static_cast<std::size_t>(s)] = encoder.finish();
          nonzero[static_cast<std::size_t>(s)] = some;
        }
      },
      1);
  for (const std::uint64_t n : nonzero) packed.nonzero += n;
  return packed;
}

bool decode_cosine(const Sections& sections, const CosineCoding& coding, const std::function<void(int block_row, const BlockRow& row)>& take) {
  const int count = (coding.down + kStripe - 1) / kStripe;
  if (static_cast<int>(sections.size()) != count) return false;
  const std::array<Steps, 2> steps = {Steps(coding, false), Steps(coding, true)};
  std::vector<char> good(static_cast<std::size_t>(count));
  parallel_rows(
      count, static_cast<std::size_t>(coding.across) * kStripe * 1024,
      [&](int first, int last) {
        BlockRow row;
        for (std::size_t p = 0; p < coding.planes; ++p) row.emplace_back(8 * coding.across, 8);
        for (int s = first; s < last; ++s) {
          RangeDecoder decoder(sections[static_cast<std::size_t>(s)]);
          good[static_cast<std::size_t>(s)] = code_stripe(
              decoder, coding.planes, coding.across, std::min(kStripe, coding.down - s * kStripe),
              [&](std::size_t p, int bx, Block& q) {
                const Steps& st = steps[p == 0 ? 0 : 1];
                for (int v = 0; v < 8; ++v) {
                  float* f = row[p].row(v) + 8 * bx;
                  for (int u = 0; u < 8; ++u) {
                    const auto i = static_cast<std::size_t>(8 * v + u);
                    const auto m = static_cast<float>(q[i]);
                    // Smaller values are likelier within an interval.
                    const float pull = i == 0 ? 0 : 0.06F;
                    f[u] = (m > 0 ? m - pull : m < 0 ? m + pull : 0) * st.step[i];
                  }
                }
              },
              [&](int y) { take(s * kStripe + y, row); });
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::pack_detail
