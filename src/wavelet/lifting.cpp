#include "wavelet/lifting.hpp"

#include <algorithm>
#include <array>
#include <vector>

#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "wavelet/lifting_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kPairs = 48;  // pairs of rows a strip
constexpr int kAround = 4;  // samples that lifting looks at beyond either side

lanes::LiftFactors factors(const Lifting& l) {
  const auto f = [](double v) { return static_cast<float>(v); };
  return {f(l.steps[0]), f(l.steps[1]), f(l.steps[2]), f(l.steps[3]), f(l.low_scale), f(l.high_scale)};
}

// Rows of a strip: the low half of a row, then, aligned, the high half.
struct Strip {
  std::vector<float> samples;
  std::size_t stride = 0;
  Strip(std::size_t width, std::size_t rows) : samples((width + 32) * rows), stride(width + 32) {}
  float* row(std::size_t i) { return samples.data() + i * stride; }
};

// One row lifted along x, from the channel into low and high coefficients.
class AlongRow {
 public:
  AlongRow(int width, const lanes::LiftFactors& f)
      : f_(f),
        n_(width),
        pairs_(static_cast<std::size_t>((width + 1) / 2) + kAround),
        wide_(2 * pairs_),
        even_(pairs_),
        odd_(pairs_) {}

  void forward(const ConstView& in, int y, float* low, float* high) {
    rows::extend(in, y, -kAround, static_cast<int>(2 * pairs_), Border::reflect, 0, wide_.data());
    lanes::split_pairs(wide_.data(), even_.data(), odd_.data(), pairs_);
    float *e = even_.data(), *o = odd_.data();
    const std::size_t p = pairs_;
    lanes::lift_step(o, e, e + 1, f_.a, 1, p - 1);
    lanes::lift_step(e + 1, o, o + 1, f_.b, 1, p - 2);
    if (f_.c != 0) {
      lanes::lift_step(o + 1, e + 1, e + 2, f_.c, 1, p - 3);
      lanes::lift_step(e + 2, o + 1, o + 2, f_.d, 1, p - 4);
    }
    const auto lows = static_cast<std::size_t>((n_ + 1) / 2), highs = static_cast<std::size_t>(n_ / 2);
    for (std::size_t i = 0; i < lows; ++i) low[i] = e[2 + i] * f_.low;
    for (std::size_t i = 0; i < highs; ++i) high[i] = o[2 + i] * f_.high;
  }

  // `f` holds the inverse scales here.
  void inverse(const float* low, const float* high, float* out) {
    const auto lows = static_cast<std::size_t>((n_ + 1) / 2), highs = static_cast<std::size_t>(n_ / 2);
    float *e = even_.data(), *o = odd_.data();
    for (std::size_t i = 0; i < lows; ++i) e[2 + i] = low[i] * f_.low;
    for (std::size_t i = 0; i < highs; ++i) o[2 + i] = high[i] * f_.high;
    const auto reflected = [&](int at) {
      return static_cast<std::size_t>(*border_index(at, n_, Border::reflect) / 2) + 2;
    };
    const auto fill = [&](int i) {
      if (i < 0 || i >= static_cast<int>(lows)) e[i + 2] = e[reflected(2 * i)];
      if (i < 0 || i >= static_cast<int>(highs)) o[i + 2] = highs == 0 ? 0 : o[reflected(2 * i + 1)];
    };
    fill(-2), fill(-1);
    for (int i = static_cast<int>(highs); i < static_cast<int>(pairs_) - 2; ++i) fill(i);
    const std::size_t p = pairs_;
    if (f_.c != 0) {
      lanes::lift_step(e + 1, o, o + 1, -f_.d, 1, p - 1);
      lanes::lift_step(o + 1, e + 1, e + 2, -f_.c, 1, p - 2);
    }
    lanes::lift_step(e + 2, o + 1, o + 2, -f_.b, 1, p - 3);
    lanes::lift_step(o + 2, e + 2, e + 3, -f_.a, 1, p - 4);
    lanes::join_pairs(e + 2, o + 2, out, highs);
    if (n_ % 2 == 1) out[n_ - 1] = e[2 + highs];
  }

 private:
  lanes::LiftFactors f_;
  int n_;
  std::size_t pairs_;
  std::vector<float> wide_, even_, odd_;
};

}  // namespace

const Lifting& internal::lifting_of(Wavelet wavelet) {
  // 9/7: Daubechies and Sweldens (1998), section 7.7; the scales make the low-pass filters sum to the square root of 2.
  constexpr double root = 1.4142135623730951, k = 1.2301741049140009;
  static const Lifting five_three{{-0.5, 0.25, 0, 0}, root, 1 / root};
  static const Lifting nine_seven{
      {-1.5861343420599235, -0.052980118572961, 0.8829110755309333, 0.4435068520439711}, root / k, k / root};
  return wavelet == Wavelet::five_three ? five_three : nine_seven;
}

void internal::lift_forward(const ConstView& in, const Lifting& l, const Level<View>& out) {
  const lanes::LiftFactors f = factors(l);
  const int lows = (in.height() + 1) / 2, highs = in.height() / 2;
  const auto wide = static_cast<std::size_t>((in.width() + 1) / 2), narrow = static_cast<std::size_t>(in.width() / 2),
             place = (wide + 15) / 16 * 16;
  parallel_rows(
      lows, RowCost(in.width(), 8),
      [&](int first, int last) {
        AlongRow along(in.width(), f);
        Strip rows(place + narrow, 6);
        const auto load = [&](int y, std::size_t slot) {
          const int at = *border_index(y, in.height(), Border::reflect);
          along.forward(in, at, rows.row(slot), rows.row(slot) + place);
          return rows.row(slot);
        };
        const lanes::LiftRows left{rows.row(0), rows.row(1), rows.row(2), rows.row(3)},
            right{left.even + place, left.d1 + place, left.s1 + place, left.d2 + place};
        load(2 * (first - 2), 0);
        for (int k = first - 1; k <= last + 1; ++k) {
          const float *odd = load(2 * k - 1, 4), *even = load(2 * k, 5);
          const int done = k - 2;
          const bool low = done >= first, high = low && done < highs;
          lanes::lift_down(odd, even, left, f, low ? out.low.row(done) : nullptr,
                           high ? out.horizontal.row(done) : nullptr, wide);
          if (narrow > 0)
            lanes::lift_down(odd + place, even + place, right, f, low ? out.vertical.row(done) : nullptr,
                             high ? out.diagonal.row(done) : nullptr, narrow);
        }
      },
      kPairs);
}

void internal::lift_inverse(const Level<ConstView>& in, const Lifting& l, const View& out) {
  lanes::LiftFactors f = factors(l);
  f.low = 1 / f.low;
  f.high = 1 / f.high;
  const int h = out.height(), lows = (h + 1) / 2;
  const auto wide = static_cast<std::size_t>((out.width() + 1) / 2), narrow = static_cast<std::size_t>(out.width() / 2),
             place = (wide + 15) / 16 * 16;
  parallel_rows(
      lows, RowCost(out.width(), 8),
      [&](int first, int last) {
        AlongRow along(out.width(), f);
        Strip rows(place + narrow, 7);
        const std::vector<float> none(wide);
        const lanes::LiftRows left{rows.row(0), rows.row(1), rows.row(2), rows.row(3)},
            right{left.even + place, left.d1 + place, left.s1 + place, left.d2 + place};
        float *even = rows.row(4), *odd = rows.row(5);
        const auto at = [&](int y) { return *border_index(y, h, Border::reflect) / 2; };
        for (int k = first - 2; k <= last + 1; ++k) {
          const int low = at(2 * k), high = at(2 * k + 1);
          lanes::lift_up(in.low.row(low), h > 1 ? in.horizontal.row(high) : none.data(), left, f, even, odd, wide);
          if (narrow > 0)
            lanes::lift_up(in.vertical.row(low), h > 1 ? in.diagonal.row(high) : none.data(), right, f, even + place,
                           odd + place, narrow);
          if (k - 1 >= first && k - 1 < last) along.inverse(even, even + place, out.row(2 * (k - 1)));
          if (k - 2 >= first && k - 2 < last && 2 * (k - 2) + 1 < h)
            along.inverse(odd, odd + place, out.row(2 * (k - 2) + 1));
        }
      },
      kPairs);
}

}  // namespace sieve
