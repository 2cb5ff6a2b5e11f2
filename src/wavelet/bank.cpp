#include "wavelet/bank.hpp"

#include <algorithm>
#include <utility>
#include <vector>

#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"
#include "wavelet/lifting_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kStripRows = 48;  // rows of coefficients a strip

std::vector<float> singles(const std::vector<double>& taps, double times = 1) {
  std::vector<float> f;
  for (const double v : taps) f.push_back(static_cast<float>(v * times));
  return f;
}

std::size_t rounded(std::size_t n) { return (n + 15) / 16 * 16 + 16; }

}  // namespace

int internal::bank_size(int n, const WaveletTaps& t) { return (n + static_cast<int>(t.low.size()) - 1) / 2; }

void internal::bank_forward(const ConstView& in, const WaveletTaps& t, const Level<View>& out) {
  const std::vector<float> low = singles(t.low), high = singles(t.high);
  const int taps = static_cast<int>(low.size()), at = t.low_at;
  const auto wide = static_cast<std::size_t>(out.low.width()), half = wide + static_cast<std::size_t>(taps / 2),
             place = rounded(wide);
  parallel_rows(
      out.low.height(), RowCost(in.width(), 8),
      [&](int first, int last) {
        std::vector<float> row(2 * half), even(half), odd(half), ring(2 * place * static_cast<std::size_t>(taps));
        const auto slot = [&](int y) {
          return ring.data() + 2 * place * static_cast<std::size_t>((y + 2 * taps) % taps);
        };
        std::vector<const float*> sources(static_cast<std::size_t>(taps)), rights = sources;
        const auto load = [&](int y) {
          rows::extend(in, *border_index(y, in.height(), Border::mirror), -at, static_cast<int>(2 * half),
                       Border::mirror, 0, row.data());
          lanes::split_pairs(row.data(), even.data(), odd.data(), half);
          for (int i = 0; i < taps; ++i)
            sources[static_cast<std::size_t>(i)] = (i % 2 == 0 ? even.data() : odd.data()) + i / 2;
          lanes::weighted_sum(sources.data(), low.data(), sources.size(), slot(y), wide, false);
          lanes::weighted_sum(sources.data(), high.data(), sources.size(), slot(y) + place, wide, false);
        };
        for (int y = 2 * first - at; y < 2 * first - at + taps - 2; ++y) load(y);
        for (int k = first; k < last; ++k) {
          const int top = 2 * k - at;
          for (int y = top + taps - 2; y < top + taps; ++y) load(y);
          for (int i = 0; i < taps; ++i) {
            sources[static_cast<std::size_t>(i)] = slot(top + i);
            rights[static_cast<std::size_t>(i)] = slot(top + i) + place;
          }
          lanes::weighted_sum(sources.data(), low.data(), sources.size(), out.low.row(k), wide, false);
          lanes::weighted_sum(sources.data(), high.data(), sources.size(), out.horizontal.row(k), wide, false);
          lanes::weighted_sum(rights.data(), low.data(), sources.size(), out.vertical.row(k), wide, false);
          lanes::weighted_sum(rights.data(), high.data(), sources.size(), out.diagonal.row(k), wide, false);
        }
      },
      kStripRows);
}

void internal::bank_inverse(const Level<ConstView>& in, const WaveletTaps& t, const View& out) {
  const int taps = static_cast<int>(t.low_back.size()), at = t.low_back_at, half = taps / 2;
  // The taps that meet even and odd places, low and high in one list.
  std::vector<float> weights[2];
  for (int p = 0; p < 2; ++p) {
    for (int i = p; i < taps; i += 2) {
      weights[p].push_back(static_cast<float>(t.low_back[static_cast<std::size_t>(i)]));
      weights[p].push_back(static_cast<float>(t.high_back[static_cast<std::size_t>(i)]));
    }
  }
  const auto wide = static_cast<std::size_t>(in.low.width()), pairs = static_cast<std::size_t>((out.width() + 1) / 2);
  parallel_rows(out.height(), static_cast<std::size_t>(out.width()) * static_cast<std::size_t>(taps),
                [&](int first, int last) {
                  std::vector<float> low(wide + 1), high(wide + 1), even(pairs), odd(pairs), row(2 * pairs);
                  std::vector<const float*> a(static_cast<std::size_t>(taps)), b = a;
                  for (int y = first; y < last; ++y) {
                    const auto& w = weights[y % 2];
                    for (int i = 0; i < half; ++i) {
                      const int k = (y + at - (2 * i + y % 2)) / 2;
                      const auto j = static_cast<std::size_t>(2 * i);
                      a[j] = in.low.row(k), a[j + 1] = in.horizontal.row(k);
                      b[j] = in.vertical.row(k), b[j + 1] = in.diagonal.row(k);
                    }
                    lanes::weighted_sum(a.data(), w.data(), a.size(), low.data(), wide, false);
                    lanes::weighted_sum(b.data(), w.data(), b.size(), high.data(), wide, false);
                    for (int p = 0; p < 2; ++p) {
                      for (int i = 0; i < half; ++i) {
                        const int shift = (at - 2 * i) / 2;
                        const auto j = static_cast<std::size_t>(2 * i);
                        a[j] = low.data() + shift, a[j + 1] = high.data() + shift;
                      }
                      lanes::weighted_sum(a.data(), weights[p].data(), a.size(), p == 0 ? even.data() : odd.data(),
                                          p == 0 ? pairs : static_cast<std::size_t>(out.width() / 2), false);
                    }
                    lanes::join_pairs(even.data(), odd.data(), out.row(y), static_cast<std::size_t>(out.width() / 2));
                    if (out.width() % 2 == 1) out.row(y)[out.width() - 1] = even[pairs - 1];
                  }
                });
}

namespace {

Border border_of(const WaveletTaps& t) { return t.symmetric ? Border::reflect : Border::wrap; }

// Without decimation the filters of symmetric wavelets are centered, so that their bands are symmetric like the signal.
int anchor(const WaveletTaps& t, const std::vector<double>& taps) {
  return t.symmetric ? static_cast<int>(taps.size() / 2) : t.low_at;
}

// sum over t of taps[t] * row[x + (t - at) * step], with the row extended on both sides.
class Spread {
 public:
  Spread(const std::vector<double>& taps, int at, int step, bool back, double times)
      : weights_(singles(taps, times)),
        step_(step),
        first_((back ? at + 1 - static_cast<int>(taps.size()) : -at) * step) {
    if (back) std::reverse(weights_.begin(), weights_.end());
  }
  int first() const { return first_; }
  int count() const { return static_cast<int>(weights_.size()); }
  int offset(int i) const { return first_ + i * step_; }
  const std::vector<float>& weights() const { return weights_; }

 private:
  std::vector<float> weights_;
  int step_, first_;
};

struct Filters {
  Spread low, high;
};
Filters analysis(const WaveletTaps& t, int step) {
  return {{t.low, anchor(t, t.low), step, false, 1}, {t.high, anchor(t, t.high), step, false, 1}};
}
Filters synthesis(const WaveletTaps& t, int step) {
  return {{t.low_back, anchor(t, t.low_back), step, true, 0.5}, {t.high_back, anchor(t, t.high_back), step, true, 0.5}};
}

}  // namespace

void internal::undecimated_forward(const ConstView& in, const WaveletTaps& t, int step, const Level<View>& out) {
  const Filters f = analysis(t, step);
  const Border border = border_of(t);
  const int w = in.width(), h = in.height();
  const auto n = static_cast<std::size_t>(w);
  Image low(w, h), high(w, h);
  const int from = std::min(f.low.offset(0), f.high.offset(0)),
            to = std::max(f.low.offset(f.low.count() - 1), f.high.offset(f.high.count() - 1));
  parallel_rows(h, RowCost(n, 8), [&](int first, int last) {
    std::vector<float> row(n + static_cast<std::size_t>(to - from));
    for (int y = first; y < last; ++y) {
      rows::extend(in, y, from, static_cast<int>(row.size()), border, 0, row.data());
      for (const auto& [filter, result] : {std::pair{&f.low, &low}, std::pair{&f.high, &high}}) {
        std::vector<const float*> sources;
        for (int i = 0; i < filter->count(); ++i) sources.push_back(row.data() + filter->offset(i) - from);
        lanes::weighted_sum(sources.data(), filter->weights().data(), sources.size(), result->row(y), n, false);
      }
    }
  });
  parallel_rows(h, RowCost(n, 16), [&](int first, int last) {
    std::vector<const float*> sources;
    const auto sum = [&](const Image& of, const Spread& filter, int y, const View& to_band) {
      sources.clear();
      for (int i = 0; i < filter.count(); ++i)
        sources.push_back(of.row(*border_index(y + filter.offset(i), h, border)));
      lanes::weighted_sum(sources.data(), filter.weights().data(), sources.size(), to_band.row(y), n, false);
    };
    for (int y = first; y < last; ++y) {
      sum(low, f.low, y, out.low);
      sum(low, f.high, y, out.horizontal);
      sum(high, f.low, y, out.vertical);
      sum(high, f.high, y, out.diagonal);
    }
  });
}

void internal::undecimated_inverse(const Level<ConstView>& in, const WaveletTaps& t, int step, const View& out) {
  const Filters f = synthesis(t, step);
  const Border border = border_of(t);
  const int w = out.width(), h = out.height();
  const auto n = static_cast<std::size_t>(w);
  std::vector<float> both(f.low.weights());
  both.insert(both.end(), f.high.weights().begin(), f.high.weights().end());
  const int from = std::min(f.low.offset(0), f.high.offset(0)),
            to = std::max(f.low.offset(f.low.count() - 1), f.high.offset(f.high.count() - 1));
  parallel_rows(h, RowCost(n, 16), [&](int first, int last) {
    Image down(w, 2);
    std::vector<float> row(2 * (n + static_cast<std::size_t>(to - from)));
    const std::size_t half = row.size() / 2;
    std::vector<const float*> sources;
    const auto gather = [&](const ConstView& low, const ConstView& high, int y, float* result) {
      sources.clear();
      for (int i = 0; i < f.low.count(); ++i) sources.push_back(low.row(*border_index(y + f.low.offset(i), h, border)));
      for (int i = 0; i < f.high.count(); ++i)
        sources.push_back(high.row(*border_index(y + f.high.offset(i), h, border)));
      lanes::weighted_sum(sources.data(), both.data(), sources.size(), result, n, false);
    };
    for (int y = first; y < last; ++y) {
      gather(in.low, in.horizontal, y, down.row(0));
      gather(in.vertical, in.diagonal, y, down.row(1));
      rows::extend(down, 0, from, static_cast<int>(half), border, 0, row.data());
      rows::extend(down, 1, from, static_cast<int>(half), border, 0, row.data() + half);
      sources.clear();
      for (int i = 0; i < f.low.count(); ++i) sources.push_back(row.data() + f.low.offset(i) - from);
      for (int i = 0; i < f.high.count(); ++i) sources.push_back(row.data() + half + f.high.offset(i) - from);
      lanes::weighted_sum(sources.data(), both.data(), sources.size(), out.row(y), n, false);
    }
  });
}

}  // namespace sieve
