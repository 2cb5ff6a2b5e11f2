#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/map.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/tone/histogram.hpp"

namespace sieve::reference {

Image clip(const ConstView& in, double low, double high) {
  const auto a = static_cast<float>(low), b = static_cast<float>(high);
  return map_samples(in, [a, b](float v) { return v < a ? a : v > b ? b : v; });
}

Image stretch(const ConstView& in, std::optional<double> low, std::optional<double> high, double to_low, double to_high,
              double percent) {
  std::vector<float> sorted;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (std::isfinite(in.at(x, y, c))) sorted.push_back(in.at(x, y, c));
      }
    }
  }
  std::sort(sorted.begin(), sorted.end());
  if (!sorted.empty()) {
    const double last = static_cast<double>(sorted.size() - 1);
    if (!low) low = sorted[static_cast<std::size_t>(std::floor(percent / 100 * last))];
    if (!high) high = sorted[static_cast<std::size_t>(std::ceil((1 - percent / 100) * last))];
  }
  if (!low || !high || *low == *high) {
    return map_samples(in, [to_low](float v) { return std::isfinite(v) ? static_cast<float>(to_low) : v; });
  }
  return map_samples(in, [=](float v) {
    return static_cast<float>(to_low + (static_cast<double>(v) - *low) / (*high - *low) * (to_high - to_low));
  });
}

Image absolute(const ConstView& in) {
  return map_samples(in, [](float v) { return std::fabs(v); });
}

Image gray(const ConstView& in, GrayBy by) {
  if (in.shape.color_channels() == 1) return Image(in);
  const int alpha = in.shape.has_alpha() ? 1 : 0;
  Image out(Shape{in.width(), in.height(), 1 + alpha}, in.white_level);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const double r = in.at(x, y, 0), g = in.at(x, y, 1), b = in.at(x, y, 2);
      double v = by == GrayBy::red ? r : by == GrayBy::green ? g : by == GrayBy::blue ? b : (r + g + b) / 3;
      if (by == GrayBy::rec709) v = 0.2126 * r + 0.7152 * g + 0.0722 * b;
      if (by == GrayBy::rec601) v = 0.299 * r + 0.587 * g + 0.114 * b;
      if (by == GrayBy::rec2020) v = 0.2627 * r + 0.6780 * g + 0.0593 * b;
      out.at(x, y, 0) = static_cast<float>(v);
      if (alpha) out.at(x, y, 1) = in.at(x, y, 3);
    }
  }
  return out;
}

Image map_levels(const ConstView& in, const std::function<double(double)>& f) {
  return map_samples(in, [&f](float v) { return std::isnan(v) ? v : static_cast<float>(f(static_cast<double>(v))); });
}

namespace {

// The finite samples of one channel.
std::vector<double> finite_samples(const ConstView& channel) {
  std::vector<double> all;
  for (int y = 0; y < channel.height(); ++y) {
    for (int x = 0; x < channel.width(); ++x) {
      if (std::isfinite(channel.at(x, y))) all.push_back(channel.at(x, y));
    }
  }
  return all;
}

// tone(channel, its gray picture) for every channel, or for the luma with the colors relit. Alpha stays.
template <class Tone>
Image toned(const ConstView& in, bool by_luma, Tone tone) {
  Image out(in);
  const int color = in.shape.color_channels();
  if (!by_luma || color == 1) {
    for (int c = 0; c < color; ++c) copy(tone(c, in.channel(c)), out.view().channel(c));
    return out;
  }
  const Image luma = to_gray(in);
  const Image changed = tone(luma_channel, luma.view().channel(0));
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const Triple rgb = relight({in.at(x, y, 0), in.at(x, y, 1), in.at(x, y, 2)}, luma.at(x, y), changed.at(x, y));
      for (int c = 0; c < 3; ++c) out.at(x, y, c) = static_cast<float>(rgb[static_cast<std::size_t>(c)]);
    }
  }
  return out;
}

// The nearest level, in single precision: there it is decided what is half-way.
std::size_t level_of(double v, int levels) {
  const float place = static_cast<float>(std::clamp(v, 0.0, 1.0)) * static_cast<float>(levels - 1);
  return static_cast<std::size_t>(std::floor(place + 0.5F));
}

std::vector<double> cumulative_levels(const ConstView& channel, int levels) {
  std::vector<double> c(static_cast<std::size_t>(levels));
  const auto all = finite_samples(channel);
  for (const double v : all) c[level_of(v, levels)] += 1;
  double sum = 0;
  for (double& n : c) n = (sum += n) / static_cast<double>(std::max<std::size_t>(all.size(), 1));
  return c;
}

// How many of the values lie below each edge of equal parts of 0..1, or of their range where they leave that, as
// shares.
struct Edges {
  double low, width;
  std::vector<double> shares;  // of the values below edge i
};
Edges edges_of(const std::vector<double>& values, int bins) {
  double low = *std::min_element(values.begin(), values.end()), high = *std::max_element(values.begin(), values.end());
  if (low >= 0 && high <= 1) {
    low = 0;
    high = 1;
  } else if (low == high) {
    high = low + std::max(1.0, std::abs(low));
  }
  Edges e{low, (high - low) / bins, std::vector<double>(static_cast<std::size_t>(bins) + 1)};
  for (const double v : values)
    e.shares[1 + std::min(static_cast<std::size_t>((v - low) * (bins / (high - low))),
                          static_cast<std::size_t>(bins) - 1)] += 1;
  for (std::size_t i = 1; i < e.shares.size(); ++i)
    e.shares[i] = e.shares[i] / static_cast<double>(values.size()) + e.shares[i - 1];
  return e;
}

// The lowest and the highest level at which the curve passes a share.
double first_at(const Edges& e, double share) {
  std::size_t i = 1;
  while (i + 1 < e.shares.size() && e.shares[i] < share - 1e-12) ++i;
  const double rise = e.shares[i] - e.shares[i - 1];
  return e.low +
         (static_cast<double>(i) - 1 + (rise > 0 ? std::min(1.0, (share - e.shares[i - 1]) / rise) : 0)) * e.width;
}
double last_at(const Edges& e, double share) {
  std::size_t i = e.shares.size() - 1;
  while (i > 1 && e.shares[i - 1] > share + 1e-12) --i;
  const double rise = e.shares[i] - e.shares[i - 1];
  return e.low +
         (static_cast<double>(i) - 1 + (rise > 0 ? std::max(0.0, (share - e.shares[i - 1]) / rise) : 0)) * e.width;
}

// Every bin of the input goes to the piece between what stands at its two ends, straight within.
template <class Left, class Right>
Image through_bins(const ConstView& channel, int bins, Left left, Right right) {
  const auto values = finite_samples(channel);
  const Edges from = edges_of(values, bins);
  return map_samples(channel, [&](float v) {
    if (std::isnan(v)) return v;
    const double place =
        std::clamp((static_cast<double>(v) - from.low) / from.width, 0.0, static_cast<double>(from.shares.size() - 1));
    const std::size_t i = std::min(static_cast<std::size_t>(place), from.shares.size() - 2);
    const double a = left(from.shares[i]), b = right(from.shares[i + 1]);
    return static_cast<float>(a + (place - static_cast<double>(i)) * (b - a));
  });
}

}  // namespace

Image equalize(const ConstView& in, int levels, bool by_luma) {
  return toned(in, by_luma, [&](int, const ConstView& channel) {
    const auto c = cumulative_levels(channel, levels);
    return map_levels(channel,
                      [&](double v) { return std::round((levels - 1) * c[level_of(v, levels)]) / (levels - 1); });
  });
}

Image clahe(const ConstView& in, int columns, int rows, double limit, int bins, double strength, bool by_luma) {
  const auto start = [](int length, int parts, int i) {
    return static_cast<int>(static_cast<long long>(length) * i / parts);
  };
  return toned(in, by_luma, [&](int, const ConstView& channel) {
    const int w = channel.width(), h = channel.height();
    std::vector<std::vector<double>> maps;
    for (int t = 0; t < columns * rows; ++t) {
      const int i = t % columns, j = t / columns, x0 = start(w, columns, i), y0 = start(h, rows, j);
      std::vector<double> counts(static_cast<std::size_t>(bins));
      double total = 0;
      for (const double v :
           finite_samples(channel.part({x0, y0, start(w, columns, i + 1) - x0, start(h, rows, j + 1) - y0}))) {
        counts[static_cast<std::size_t>(std::min(std::floor(std::clamp(v, 0.0, 1.0) * bins), bins - 1.0))] += 1;
        total += 1;
      }
      const double most = limit * total / bins;
      for (int round = 0; round < 100000; ++round) {
        double over = 0, open = 0;
        for (double& n : counts) {
          over += std::max(0.0, n - most);
          n = std::min(n, most);
          open += n < most;
        }
        if (over < 1e-9 || open == 0) break;
        for (double& n : counts) n += n < most ? over / open : 0;
      }
      std::vector<double> map = {0};
      for (const double n : counts) map.push_back(map.back() + (total > 0 ? n / total : 1.0 / bins));
      maps.push_back(map);
    }
    const auto mapped = [&](int i, int j, double v) {
      const auto& map = maps[static_cast<std::size_t>(j * columns + i)];
      const double place = v * bins, bin = std::min(std::floor(place), bins - 1.0);
      const auto b = static_cast<std::size_t>(bin);
      return map[b] + (place - bin) * (map[b + 1] - map[b]);
    };
    // The tiles whose centers lie about a place, and the share of the second.
    struct Pair {
      int low, high;
      double share;
    };
    const auto neighbors = [&](int length, int parts, int place) {
      const auto center = [&](int i) { return 0.5 * (start(length, parts, i) + start(length, parts, i + 1) - 1); };
      if (place < center(0)) return Pair{0, 0, 0};
      for (int i = 0; i + 1 < parts; ++i) {
        if (place < center(i + 1)) return Pair{i, i + 1, (place - center(i)) / (center(i + 1) - center(i))};
      }
      return Pair{parts - 1, parts - 1, 0};
    };
    Image out(channel);
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const double v = channel.at(x, y), cut = std::clamp(v, 0.0, 1.0);
        if (!std::isfinite(v)) continue;
        const Pair a = neighbors(w, columns, x), b = neighbors(h, rows, y);
        const double top = (1 - a.share) * mapped(a.low, b.low, cut) + a.share * mapped(a.high, b.low, cut);
        const double bottom = (1 - a.share) * mapped(a.low, b.high, cut) + a.share * mapped(a.high, b.high, cut);
        const double result = (1 - b.share) * top + b.share * bottom + (v - cut);
        out.at(x, y) = static_cast<float>(v + strength * (result - v));
      }
    }
    return out;
  });
}

Image match(const ConstView& in, const ConstView& other, bool by_luma, int bins) {
  const Image other_luma = to_gray(other);
  const bool same = in.shape.color_channels() == other.shape.color_channels();
  return toned(in, by_luma, [&](int c, const ConstView& channel) {
    const ConstView target = c == luma_channel || !same ? other_luma.view().channel(0) : other.channel(c);
    if (in.white_level > 0 && other.white_level > 0) {
      const int from_levels = static_cast<int>(in.white_level) + 1, to_levels = static_cast<int>(other.white_level) + 1;
      const auto from = cumulative_levels(channel, from_levels), to = cumulative_levels(target, to_levels);
      return map_levels(channel, [&](double v) {
        std::size_t j = 0;
        while (j + 1 < to.size() && to[j] < from[level_of(v, from_levels)]) ++j;
        return static_cast<double>(j) / (to_levels - 1);
      });
    }
    const Edges to = edges_of(finite_samples(target), bins);
    return through_bins(
        channel, bins, [&](double share) { return last_at(to, share); },
        [&](double share) { return first_at(to, share); });
  });
}

Image match_distribution(const ConstView& in, const std::function<double(double)>& quantile, bool by_luma, int bins) {
  return toned(in, by_luma, [&](int, const ConstView& channel) {
    if (in.white_level == 0) return through_bins(channel, bins, quantile, quantile);
    const int levels = static_cast<int>(in.white_level) + 1;
    const auto c = cumulative_levels(channel, levels);
    return map_levels(channel, [&](double v) {
      const std::size_t k = level_of(v, levels);
      return quantile(0.5 * ((k == 0 ? 0 : c[k - 1]) + c[k]));
    });
  });
}

Image threshold(const ConstView& in, std::optional<double> level) {
  return toned(in, false, [&](int, const ConstView& channel) {
    if (level) return map_levels(channel, [&](double v) { return v > *level ? 1 : 0; });
    // The variance between the classes below and above every cut, from all samples as they stand in their bins.
    const int bins = in.white_level > 0 ? static_cast<int>(in.white_level) + 1 : 1024;
    std::vector<double> places;
    for (const double v : finite_samples(channel)) {
      places.push_back(in.white_level > 0 ? static_cast<double>(level_of(v, bins))
                                          : std::min(std::floor(std::clamp(v, 0.0, 1.0) * bins), bins - 1.0));
    }
    std::sort(places.begin(), places.end());
    double best = -1, first = 0, last = 0;
    for (int cut = 0; cut + 1 < bins; ++cut) {
      const auto split = std::upper_bound(places.begin(), places.end(), cut);
      double below = 0, above = 0;
      for (auto p = places.begin(); p != split; ++p) below += *p;
      for (auto p = split; p != places.end(); ++p) above += *p;
      const auto n = static_cast<double>(split - places.begin()), m = static_cast<double>(places.end() - split);
      if (n == 0 || m == 0) continue;
      const double apart = below / n - above / m, between = n * m * apart * apart;
      if (between > best) {
        best = between;
        first = cut;
      }
      if (between == best) last = cut;
    }
    const double at = best < 0 && !places.empty() ? places[0] : 0.5 * (first + last) + 0.5;
    const auto cut = static_cast<double>(static_cast<float>(in.white_level > 0 ? at / (bins - 1) : (at + 0.5) / bins));
    return map_levels(channel, [cut](double v) { return v > cut ? 1 : 0; });
  });
}

Image local_threshold(const ConstView& in, int radius, double offset, Border border) {
  const Image mean = box(in, radius, border, 0);
  return map_pairs(in, mean, [offset](float v, float m) {
    return std::isnan(v) ? v : v > m - static_cast<float>(offset) + 1e-6F ? 1.0F : 0.0F;
  });
}

}  // namespace sieve::reference
