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

constexpr int kStripe = 32;  // block rows of a section

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

// What is kept of the blocks above and to the left.
struct Trace {
  Block magnitude{};  // of all but the first
  int last = 0;       // how many coefficients were coded
  int dc = 0, dc_off = 0;
};

int level(int sum) {
  constexpr std::array<std::uint8_t, 16> table = {0, 1, 2, 3, 3, 4, 4, 5, 5, 5, 6, 6, 6, 6, 6, 6};
  return sum < 16 ? table[static_cast<std::size_t>(sum)] : 7;
}

// The probabilities of one plane kind: first plane, others.
class Model {
 public:
  // Codes a block: `q` holds it, or is filled. False where the stream is of no block.
  template <class Coder>
  bool code(Coder& c, Block& q, Trace& now, const Trace& left, const Trace& up, const Trace& corner) {
    now = Trace{};
    code_first(c, q, now, left, up, corner);
    int last = 0;
    if constexpr (!Coder::kDecodes) {
      for (int i = 63; i > 0 && last == 0; --i) last = q[kZigzag[static_cast<std::size_t>(i)]] != 0 ? i : 0;
    }
    last = code_last(c, last, level((left.last + up.last + 1) / 2 / 2 + (left.last + up.last > 0)));
    now.last = last;
    if constexpr (Coder::kDecodes) std::fill(q.begin() + 1, q.end(), std::int16_t{0});
    for (int i = last; i > 0; --i) {
      const int at = kZigzag[static_cast<std::size_t>(i)], u = at % 8, v = at / 8;
      const auto seen = [&](int x, int y) { return x < 8 && y < 8 ? now.magnitude[static_cast<std::size_t>(8 * y + x)] : 0; };
      const int inside = 2 * (seen(u + 1, v) + seen(u, v + 1)) + seen(u + 1, v + 1) + seen(u + 2, v) + seen(u, v + 2);
      const int beside = left.magnitude[static_cast<std::size_t>(at)] + up.magnitude[static_cast<std::size_t>(at)];
      const int near = std::min(7, level(inside)), place = std::min(7, u + v);
      const int other = beside == 0 ? 0 : beside == 1 ? 1 : beside < 4 ? 2 : 3;
      int m = Coder::kDecodes ? 0 : std::abs(q[static_cast<std::size_t>(at)]);
      // The last one is not 0: that is what makes it the last.
      if (i < last && !c.bit(some_[static_cast<std::size_t>((place * 8 + near) * 4 + other)], m != 0)) continue;
      m = 1 + static_cast<int>(size_[static_cast<std::size_t>(level((inside + 2 * beside) / 2) + (place < 3 ? 8 : 0))].code(c, static_cast<std::uint32_t>(m - 1)));
      const bool negative = c.raw(q[static_cast<std::size_t>(at)] < 0 ? 1 : 0, 1) != 0;
      if (m > kMost) return false;
      q[static_cast<std::size_t>(at)] = static_cast<std::int16_t>(negative ? -m : m);
      now.magnitude[static_cast<std::size_t>(at)] = static_cast<std::int16_t>(m);
    }
    return now.dc >= -kMost && now.dc <= kMost;
  }

 private:
  // The first coefficient, as its difference from what the blocks about let expect.
  template <class Coder>
  void code_first(Coder& c, Block& q, Trace& now, const Trace& left, const Trace& up, const Trace& corner) {
    const int a = left.dc, b = up.dc, d = corner.dc;
    const int expected = d >= std::max(a, b) ? std::min(a, b) : d <= std::min(a, b) ? std::max(a, b) : a + b - d;
    const int off = q[0] - expected;
    const auto context = static_cast<std::size_t>(level((left.dc_off + up.dc_off + 1) / 2));
    const int m = static_cast<int>(first_[context].code(c, static_cast<std::uint32_t>(std::abs(off))));
    const bool negative = m > 0 && c.raw(off < 0 ? 1 : 0, 1) != 0;
    now.dc = expected + (negative ? -m : m);
    now.dc_off = std::min(m, 1000);
    if constexpr (Coder::kDecodes) q[0] = static_cast<std::int16_t>(std::clamp(now.dc, -kMost, kMost));
  }

  // A number of 0..63, bit by bit.
  template <class Coder>
  int code_last(Coder& c, int last, int context) {
    auto& tree = last_[static_cast<std::size_t>(context)];
    unsigned node = 1;
    for (int i = 5; i >= 0; --i) node = 2 * node + (c.bit(tree[node], (last >> i & 1) != 0) ? 1 : 0);
    return static_cast<int>(node - 64);
  }

  std::array<Bit, 8 * 8 * 4> some_;
  std::array<Count<14>, 16> size_;
  std::array<Count<14>, 8> first_;
  std::array<std::array<Bit, 64>, 8> last_;
};

// A stripe of blocks of all planes, left to right and top to bottom, plane after plane at each place.
template <class Coder, class Get>
bool code_stripe(Coder& c, std::size_t planes, int across, int rows, Get get) {
  std::vector<Model> models(2);
  // The row above, with a place before it; and the blocks to the left.
  std::vector<Trace> above(planes * static_cast<std::size_t>(across + 1));
  for (int y = 0; y < rows; ++y) {
    checkpoint();
    std::vector<Trace> left(planes), corner(planes);
    for (int x = 0; x < across; ++x) {
      for (std::size_t p = 0; p < planes; ++p) {
        Trace& up = above[p * static_cast<std::size_t>(across + 1) + static_cast<std::size_t>(x) + 1];
        // At the border the only neighbor stands for all.
        if (x == 0) left[p] = up, corner[p] = up;
        if (y == 0) {
          corner[p] = left[p];
          up = left[p];
        }
        Trace now;
        Block q;
        if constexpr (!Coder::kDecodes) get(p, x, y, q);
        if (!models[p == 0 ? 0 : 1].code(c, q, now, left[p], up, corner[p]) || c.ended_long()) return false;
        if constexpr (Coder::kDecodes) get(p, x, y, q);
        corner[p] = up;
        left[p] = now;
        up = now;
      }
    }
  }
  return true;
}

}  // namespace

int cosine_sections(int height) { return (height / 8 + kStripe - 1) / kStripe; }

CosinePacked encode_cosine(const std::vector<Image>& planes, const CosineCoding& coding) {
  const int across = planes[0].width() / 8, down = planes[0].height() / 8, count = cosine_sections(planes[0].height());
  const std::array<Steps, 2> steps = {Steps(coding, false), Steps(coding, true)};
  CosinePacked packed;
  packed.sections.resize(static_cast<std::size_t>(count));
  std::vector<std::uint64_t> nonzero(static_cast<std::size_t>(count));
  parallel_rows(
      count, static_cast<std::size_t>(planes[0].width()) * kStripe * 8 * 16,
      [&](int first, int last) {
        for (int s = first; s < last; ++s) {
          RangeEncoder encoder;
          std::uint64_t some = 0;
          code_stripe(encoder, planes.size(), across, std::min(kStripe, down - s * kStripe), [&](std::size_t p, int bx, int by, Block& q) {
            const Steps& st = steps[p == 0 ? 0 : 1];
            int n = 0;
            for (int v = 0; v < 8; ++v) {
              const float* f = planes[p].row((s * kStripe + by) * 8 + v) + 8 * bx;
              for (int u = 0; u < 8; ++u) {
                const auto i = static_cast<std::size_t>(8 * v + u);
                // Rounded down below 2/3: zeros cost less than they lose.
                const float a = std::min(std::fabs(f[u]) * st.per[i] + 0.34F, 32767.0F);
                const int m = static_cast<int>(a);
                q[i] = static_cast<std::int16_t>(f[u] < 0 ? -m : m);
                n += m != 0;
              }
            }
            if (planes[p].row((s * kStripe + by) * 8)[8 * bx] != 0) {
              // The first one carries the level of the block: to the nearest.
              q[0] = static_cast<std::int16_t>(std::clamp(std::lround(planes[p].row((s * kStripe + by) * 8)[8 * bx] * st.per[0]), -32767L, 32767L));
            }
            some += static_cast<std::uint64_t>(n);
          });
          packed.sections[static_cast<std::size_t>(s)] = encoder.finish();
          nonzero[static_cast<std::size_t>(s)] = some;
        }
      },
      1);
  for (const std::uint64_t n : nonzero) packed.nonzero += n;
  return packed;
}

bool decode_cosine(const Sections& sections, const CosineCoding& coding, std::vector<Image>& planes) {
  const int across = planes[0].width() / 8, down = planes[0].height() / 8, count = cosine_sections(planes[0].height());
  if (static_cast<int>(sections.size()) != count) return false;
  const std::array<Steps, 2> steps = {Steps(coding, false), Steps(coding, true)};
  std::vector<char> good(static_cast<std::size_t>(count));
  parallel_rows(
      count, static_cast<std::size_t>(planes[0].width()) * kStripe * 8 * 16,
      [&](int first, int last) {
        for (int s = first; s < last; ++s) {
          RangeDecoder decoder(sections[static_cast<std::size_t>(s)]);
          good[static_cast<std::size_t>(s)] = code_stripe(decoder, planes.size(), across, std::min(kStripe, down - s * kStripe), [&](std::size_t p, int bx, int by, Block& q) {
            const Steps& st = steps[p == 0 ? 0 : 1];
            for (int v = 0; v < 8; ++v) {
              float* f = planes[p].row((s * kStripe + by) * 8 + v) + 8 * bx;
              for (int u = 0; u < 8; ++u) {
                const auto i = static_cast<std::size_t>(8 * v + u);
                const auto m = static_cast<float>(q[i]);
                // Smaller values are likelier within an interval.
                const float pull = i == 0 ? 0 : 0.06F;
                f[u] = (m > 0 ? m - pull : m < 0 ? m + pull : 0) * st.step[i];
              }
            }
          });
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::pack_detail
