// Whole numbers without loss, each as its difference from what its neighbors let expect: better than bands where a
// picture is drawn rather than seen. Sources: Wu and Memon, "Context-based, adaptive, lossless image coding", 1997 (the
// predictor and its correction).

#include <algorithm>
#include <array>
#include <bit>
#include <cstdlib>

#include "pack/codecs.hpp"
#include "pack/range_coder.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal::packing {

namespace {

constexpr int kRowsTogether = 256;

// Samples about (x, y) that are known before it; what lies outside of the stripe is its nearest neighbor.
struct Around {
  std::int64_t w, n, nw, ne, ww, nn, nne;
  Around(const std::int32_t* row, const std::int32_t* up, const std::int32_t* upper, int x, int width) {
    n = up ? up[x] : x > 0 ? row[x - 1] : 0;
    w = x > 0 ? row[x - 1] : n;
    nw = up && x > 0 ? up[x - 1] : n;
    ne = up && x + 1 < width ? up[x + 1] : n;
    ww = x > 1 ? row[x - 2] : w;
    nn = upper ? upper[x] : n;
    nne = upper && x + 1 < width ? upper[x + 1] : ne;
  }
};

// The mean error of the predictor in a kind of surroundings.
struct Correction {
  std::int64_t sum = 0;
  int count = 0;
  std::int64_t mean() const { return count == 0 ? 0 : (2 * sum + count) / (2 * count); }
  void learn(std::int64_t error) {
    sum += error;
    if (++count == 128) sum /= 2, count /= 2;
  }
};

class PlaneModel {
 public:
  explicit PlaneModel(int shift) : shift_(shift) {}
  // `before`: size of the differences at this place in the planes before.
  template <class Coder>
  std::int32_t code(Coder& c, std::int32_t value, const Around& a, std::int64_t last_error, std::int64_t before,
                    std::int64_t& error) {
    const std::int64_t across = std::abs(a.w - a.ww) + std::abs(a.n - a.nw) + std::abs(a.n - a.ne),
                       down = std::abs(a.w - a.nw) + std::abs(a.n - a.nn) + std::abs(a.ne - a.nne);
    const std::int64_t steep = (down - across) >> shift_;
    std::int64_t expected = (a.w + a.n) / 2 + (a.ne - a.nw) / 4;
    if (steep > 80) {
      expected = a.w;
    } else if (steep < -80) {
      expected = a.n;
    } else if (steep > 32) {
      expected = (expected + a.w) / 2;
    } else if (steep < -32) {
      expected = (expected + a.n) / 2;
    } else if (steep > 8) {
      expected = (3 * expected + a.w) / 4;
    } else if (steep < -8) {
      expected = (3 * expected + a.n) / 4;
    }
    const std::int64_t energy = (across + down + 2 * std::abs(last_error) + 2 * before) >> shift_;
    const auto level = static_cast<std::size_t>(std::min(
        kLevels - 1,
        energy < 4 ? static_cast<int>(energy)
                   : 2 * static_cast<int>(std::bit_width(static_cast<std::uint64_t>(energy))) - 2 +
                         static_cast<int>(energy >> (std::bit_width(static_cast<std::uint64_t>(energy)) - 2) & 1)));
    std::size_t texture = 0;
    for (const std::int64_t v : {a.n, a.w, a.nw, a.ne, 2 * a.n - a.nn, 2 * a.w - a.ww})
      texture = 2 * texture + (v < expected ? 1 : 0);
    Correction& correction = corrections_[texture * 4 + level / 5];
    expected += correction.mean();
    const std::int64_t off = static_cast<std::int64_t>(value) - expected;
    const bool zero = !c.bit(some_[level * 2 + (last_error == 0 ? 1 : 0)], off != 0);
    std::int64_t now = 0;
    if (!zero) {
      const bool negative = c.bit(signs_[texture], off < 0);
      const auto m =
          static_cast<std::int64_t>(sizes_[level].code(c, static_cast<std::uint32_t>(std::abs(off) - 1))) + 1;
      now = negative ? -m : m;
    }
    error = now;
    correction.learn(now);
    // Far beyond all that is coded: a damaged stream must not run away.
    return static_cast<std::int32_t>(std::clamp<std::int64_t>(expected + now, -(1 << 24), 1 << 24));
  }

 private:
  static constexpr int kLevels = 20;
  int shift_;
  std::array<Correction, 64 * 4> corrections_;
  std::array<Bit, kLevels * 2> some_;
  std::array<Bit, 64> signs_;
  std::array<Count<24>, kLevels> sizes_;
};

template <class Coder>
void code_rows(Coder& c, std::vector<BandPlane>& planes, int first, int last, int shift) {
  const int width = planes[0].width;
  std::vector<PlaneModel> models(planes.size(), PlaneModel(shift));
  std::vector<std::int64_t> before(static_cast<std::size_t>(width));
  for (int y = first; y < last; ++y) {
    checkpoint();
    std::fill(before.begin(), before.end(), 0);
    for (std::size_t p = 0; p < planes.size(); ++p) {
      std::int32_t* row = planes[p].values.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(width);
      const std::int32_t *up = y > first ? row - width : nullptr, *upper = y > first + 1 ? row - 2 * width : nullptr;
      std::int64_t error = 0;
      for (int x = 0; x < width; ++x) {
        std::int64_t now = 0;
        row[x] = models[p].code(c, row[x], Around(row, up, upper, x, width), error, before[static_cast<std::size_t>(x)],
                                now);
        error = now;
        before[static_cast<std::size_t>(x)] = std::abs(now);
      }
    }
    if (c.ended_long()) return;
  }
}

}  // namespace

int predicted_sections(int height) { return (height + kRowsTogether - 1) / kRowsTogether; }

std::vector<Bytes> encode_predicted(std::vector<BandPlane>& planes, int shift) {
  const int count = predicted_sections(planes[0].height);
  std::vector<Bytes> sections(static_cast<std::size_t>(count));
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(planes[0].width) * kRowsTogether, 64),
      [&](int first, int last) {
        for (int s = first; s < last; ++s) {
          RangeEncoder encoder;
          code_rows(encoder, planes, s * kRowsTogether, std::min(planes[0].height, (s + 1) * kRowsTogether), shift);
          sections[static_cast<std::size_t>(s)] = encoder.finish();
        }
      },
      1);
  return sections;
}

bool decode_predicted(const Sections& sections, int shift, std::vector<BandPlane>& planes) {
  const int count = predicted_sections(planes[0].height);
  if (static_cast<int>(sections.size()) != count) return false;
  for (BandPlane& p : planes)
    p.values.assign(static_cast<std::size_t>(p.width) * static_cast<std::size_t>(p.height), 0);
  std::vector<char> good(static_cast<std::size_t>(count));
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(planes[0].width) * kRowsTogether, 64),
      [&](int first, int last) {
        for (int s = first; s < last; ++s) {
          RangeDecoder decoder(sections[static_cast<std::size_t>(s)]);
          code_rows(decoder, planes, s * kRowsTogether, std::min(planes[0].height, (s + 1) * kRowsTogether), shift);
          good[static_cast<std::size_t>(s)] = !decoder.ended_long();
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::internal::packing
