#include <algorithm>
#include <limits>

#include "reference/families.hpp"
#include "sieve/denoise.hpp"
#include "sieve/reference/denoise.hpp"
#include "sieve/reference/quality.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/reference/wavelet.hpp"

namespace sieve {

using namespace internal;

namespace {

// The parameter, or a multiple of the noise that is measured, but no less than `least`.
double or_noise(const std::optional<float>& given, const ConstView& in, double times, double least) {
  return given ? static_cast<double>(*given) : std::max(least, times * reference::noise_level(in));
}

// The parameter, or the multiple of the noise that has the least estimated risk; run(part, place, value).
template <class Run>
double or_least_risk(const std::optional<float>& given, const ConstView& in, double least,
                     const std::vector<double>& factors, Run run) {
  if (given) return static_cast<double>(*given);
  const double noise = or_noise({}, in, 1, least);
  return noise * reference::least_risk_setting(in, noise, factors,
                                               [&](const ConstView& part, const Rectangle& place, double factor) {
                                                 return run(part, place, noise * factor);
                                               });
}

Image bilateral(const Bilateral& f, const ConstView& in) {
  const auto with = [&](const ConstView& part, const Rectangle&, double range) {
    return reference::bilateral(part, f.sigma, static_cast<int>(std::ceil(2.5F * f.sigma)), range, f.border);
  };
  return with(in, {}, or_least_risk(f.range, in, 0.005, {1, 1.4, 2, 2.8, 4, 5.6, 8}, with));
}

Image guided(const Guided& f, const ConstView& in) {
  const auto with = [&](const ConstView& part, const Rectangle& place, double strength) {
    if (f.with.empty()) return reference::guided(part, part, static_cast<int>(f.radius), strength, f.border);
    const Image guide(f.with.image("guided", "with").view().part(place));
    return reference::guided(part, guide, static_cast<int>(f.radius), strength, f.border);
  };
  return with(in, {0, 0, in.width(), in.height()},
              or_least_risk(f.strength, in, 0.005, {0.7, 1, 1.4, 2, 2.8, 4, 5.6}, with));
}

Image diffusion(const Diffusion& f, const ConstView& in) {
  const auto with = [&](const ConstView& part, const Rectangle&, double k) {
    return reference::diffusion(part, f.iterations, f.rate, [&](double d) {
      return f.conductance == Conductance::rational ? 1 / (1 + (d / k) * (d / k)) : std::exp(-(d / k) * (d / k));
    });
  };
  return with(in, {}, or_least_risk(f.edge, in, 0.004, {0.25, 0.35, 0.5, 0.7, 1, 1.4, 2, 4}, with));
}

Image nonlocal_means(const NonlocalMeans& f, const ConstView& in) {
  const double noise = f.noise ? std::max(1e-4, static_cast<double>(*f.noise)) : or_noise({}, in, 1, 1e-4);
  const auto with = [&](const ConstView& part, const Rectangle&, double strength) {
    return reference::nonlocal_means(part, f.patch, f.search, strength, noise, f.border);
  };
  return with(in, {},
              f.strength ? static_cast<double>(*f.strength)
                         : reference::least_risk_setting(in, noise, {0.25, 0.35, 0.5, 0.7, 1}, with));
}

Image total_variation(const TotalVariation& f, const ConstView& in) {
  const auto with = [&](const ConstView& part, double weight, int times) {
    return reference::total_variation(part, weight, times * f.iterations, f.together);
  };
  // What comes through of a small change needs more iterations than the result.
  const double weight =
      or_least_risk(f.weight, in, 1e-4, {0.4, 0.55, 0.75, 1, 1.35, 1.8, 2.4},
                    [&](const ConstView& part, const Rectangle&, double w) { return with(part, w, 20); });
  return with(in, weight, 5);
}

// The noise that it reckons with, as the struct says.
reference::BlockNoisePowers powers_of(const BlockMatching& f, const ConstView& in) {
  const int color = in.shape.color_channels();
  const bool small = in.width() < 16 || in.height() < 16;
  const auto white = [&] { return reference::white_noise_powers(color, std::max(1e-6, or_noise(f.noise, in, 1, 0))); };
  if (f.spectrum.is_white() || (f.spectrum.automatic() && (f.noise || small))) return white();
  const bool sample = !f.spectrum.sample().empty();
  reference::BlockNoisePowers p =
      sample ? reference::noise_powers(f.spectrum.sample().image("block_matching", "spectrum"), false)
             : reference::noise_powers(in, true);
  while (static_cast<int>(p.size()) < color) p.push_back(p[0]);
  double mean = 0, least = 1e9, most = 0;
  bool even = !sample;
  for (const std::vector<double>& plane : p) {
    double sum = 0;
    for (const double v : plane) {
      sum += v / 64;
      even = even && v == plane[0];
    }
    mean += sum / color;
    least = std::min(least, sum);
    most = std::max(most, sum);
  }
  if (even && most <= 1.3 * 1.3 * least) return white();
  if (f.noise) {
    for (std::vector<double>& plane : p) {
      for (double& v : plane)
        v = std::max(1e-12, v * static_cast<double>(*f.noise) * static_cast<double>(*f.noise) / mean);
    }
  }
  return p;
}

// Settings from the table in the guide; bounds of likeness in squared levels of 255.
Image block_matching(const BlockMatching& f, const ConstView& in) {
  const reference::BlockNoisePowers powers = powers_of(f, in);
  double variance = 0;
  for (const double v : powers[0]) variance += v / 64;
  const double noise = std::sqrt(variance);
  const bool strong = 255 * noise > 35, singular = f.by == BlockTransform::singular;
  reference::BlockGroups first, second, round;
  if (strong) first.most = second.most = 32;
  if (!strong || (f.effort == BlockEffort::fast && !singular)) first.search = 15;
  second.search = 15;
  second.sloping = true;
  if (f.effort == BlockEffort::fast && !singular) first.step = 8, second.step = 7;
  if (f.effort == BlockEffort::high && !singular) first.step = second.step = 2, second.most = 32;
  if (f.effort == BlockEffort::high && !singular) first.search = second.search = 19;
  const int larger = 255 * noise <= 20 ? 0 : 255 * noise <= 40 ? 1 : 2;
  round.side = f.effort == BlockEffort::high ? 6 + larger : 6;
  round.most = 60 + 30 * larger;
  round.search = 20;
  round.step = f.effort == BlockEffort::fast ? 6 : f.effort == BlockEffort::normal ? 5 : 4;
  round.unlike = 4;
  std::vector<reference::BlockGroups*> meant{&round};
  if (!singular) meant = {&first, &second};
  for (reference::BlockGroups* g : meant) {
    g->side = f.block.value_or(g->side);
    g->most = f.group.value_or(g->most);
    if (!singular) g->most = std::min(32, g->most);
    g->search = f.search.value_or(g->search);
    g->step = std::min(f.step.value_or(g->step), g->side);
  }
  first.unlike = (strong ? 5000 : 2500) / 255.0 / 255.0;
  first.alike = 2 * noise * noise;
  second.unlike = (strong ? 3500 : 400) / 255.0 / 255.0;
  second.alike = 0.0225 * noise * noise;
  std::vector<reference::SingularRound> rounds;
  const int count = f.effort == BlockEffort::fast ? 1 : f.effort == BlockEffort::normal ? 2 : 3;
  for (int i = 0; singular && i < count; ++i) rounds.push_back({round, i > 0 ? 0.1 : 255 * noise > 40 ? 0.2 : 0.25});
  return reference::block_matching(in, powers, first, second, rounds);
}

Image anscombe(const Anscombe& f, const ConstView& in) {
  return reference::map_levels(in, [k = static_cast<double>(f.peak)](double v) {
    return 2 * std::sqrt(std::max(0.0, v * k + 0.375)) / (2 * std::sqrt(k + 0.375));
  });
}

Image inverse_anscombe(const InverseAnscombe& f, const ConstView& in) {
  return reference::map_levels(in, [k = static_cast<double>(f.peak)](double v) {
    const double d = std::max(v * 2 * std::sqrt(k + 0.375), 2 * std::sqrt(0.375));
    return (0.25 * d * d + 0.25 * std::sqrt(1.5) / d - 11.0 / 8 / std::pow(d, 2) +
            5.0 / 8 * std::sqrt(1.5) / std::pow(d, 3) - 0.125) /
           k;
  });
}

// Donoho and Johnstone (1994): s sqrt(2 ln n).
double universal(double n, double s) { return s * std::sqrt(2 * std::log(std::max(2.0, n))); }

// Donoho and Johnstone (1995): of all |c| up to the universal threshold, the one of the least estimated risk; the
// universal threshold in a band that holds next to nothing (their section 2.4).
double sure(std::vector<double> sizes, double s) {
  const auto n = static_cast<double>(sizes.size());
  double energy = 0;
  for (const double c : sizes) energy += c * c;
  if (energy / (n * s * s) - 1 <= std::pow(std::log2(n), 1.5) / std::sqrt(n)) return universal(n, s);
  std::sort(sizes.begin(), sizes.end());
  double best = n * s * s, at = 0, below = 0;
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    const double t = sizes[i];
    if (static_cast<float>(t) > static_cast<float>(universal(n, s))) break;
    below += t * t;
    const auto count = static_cast<double>(i + 1);
    const double risk = n * s * s - 2 * s * s * count + below + (n - count) * t * t;
    if (risk < best) best = risk, at = t;
  }
  return at;
}

// Chang, Yu and Vetterli (2000): s^2 over the deviation of the detail.
double bayes(const std::vector<double>& sizes, double s) {
  double energy = 0;
  for (const double c : sizes) energy += c * c;
  const double detail = energy / static_cast<double>(sizes.size()) - s * s;
  return detail > 0 ? s * s / std::sqrt(detail) : std::numeric_limits<double>::infinity();
}

void shrink(Image& band, const WaveletShrink& f, double s) {
  if (band.empty()) return;
  std::vector<double> sizes;
  for (int y = 0; y < band.height(); ++y) {
    for (int x = 0; x < band.width(); ++x) sizes.push_back(std::abs(static_cast<double>(band.at(x, y))));
  }
  const double t = static_cast<double>(f.strength) * (f.rule == ThresholdRule::universal
                                                          ? universal(static_cast<double>(sizes.size()), s)
                                                      : f.rule == ThresholdRule::sure ? sure(sizes, s)
                                                                                      : bayes(sizes, s));
  band = map_samples(band, [&](float v) {
    // Decided in single precision, as a coefficient that is the threshold itself has it.
    const float size = std::fabs(v), threshold = static_cast<float>(t);
    if (f.shrink == Shrinkage::hard) return size > threshold ? v : 0;
    return std::copysign(std::max(0.0F, size - threshold), v);
  });
}

Image shrunk(const WaveletShrink& f, const ConstView& channel, double s) {
  WaveletBands b = reference::wavelet_forward(channel, f.wavelet, f.levels, f.undecimated);
  for (int j = 0; j < f.levels; ++j) {
    WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
    shrink(d.horizontal, f, s * wavelet_noise_gain(f.wavelet, j, false, true));
    shrink(d.vertical, f, s * wavelet_noise_gain(f.wavelet, j, true, false));
    shrink(d.diagonal, f, s * wavelet_noise_gain(f.wavelet, j, true, true));
  }
  return reference::wavelet_inverse(b);
}

// The mean over all shifts by up to shifts - 1 pixels, the picture mirrored at its left and upper border.
Image over_shifts(const WaveletShrink& f, const ConstView& channel, double s) {
  const int n = f.shifts, w = channel.width(), h = channel.height();
  Image sum(w, h);
  for (int dy = 0; dy < n; ++dy) {
    for (int dx = 0; dx < n; ++dx) {
      const Image one = shrunk(f, reference::pad(channel, dx, 0, dy, 0, Border::mirror, 0), s);
      sum = map_pairs(sum, one.view().part({dx, dy, w, h}),
                      [share = 1.0F / static_cast<float>(n * n)](float a, float b) { return a + share * b; });
    }
  }
  return sum;
}

Image wavelet_shrink(const WaveletShrink& f, const ConstView& in) {
  const double s = f.noise ? std::max(1e-6, static_cast<double>(*f.noise)) : or_noise({}, in, 1, 1e-6);
  return internal::of_finite(in, [&](Image out) {
    for (int c = 0; c < in.shape.color_channels(); ++c)
      copy(over_shifts(f, Image(out.view().channel(c)), s), out.view().channel(c));
    return out;
  });
}

// The lower quartile of deviation over mean of the windows, mean over the channels.
double speckle_of(const Lee& f, const ConstView& in) {
  if (f.speckle) return *f.speckle;
  const int radius = static_cast<int>(f.radius), color = in.shape.color_channels();
  double sum = 0;
  for (int c = 0; c < color; ++c) {
    std::vector<double> ratios;
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        double total = 0, squares = 0, n = 0;
        for (int dy = -radius; dy <= radius; ++dy) {
          for (int dx = -radius; dx <= radius; ++dx) {
            const double v = reference::sample(in, x + dx, y + dy, c, f.border, 0);
            total += v, squares += v * v, n += 1;
          }
        }
        const double mean = total / n, variance = std::max(0.0, squares / n - mean * mean);
        if (mean > 0.01) ratios.push_back(std::sqrt(variance) / mean);
      }
    }
    if (ratios.empty()) continue;
    std::sort(ratios.begin(), ratios.end());
    sum += ratios[static_cast<std::size_t>(0.25 * static_cast<double>(ratios.size() - 1))];
  }
  return sum / color;
}

}  // namespace

void internal::define_denoise(reference::Definitions& d) {
  // The filter ends at a gap of `tolerance` times the objective; what is left is off its optimum by at most the root of
  // 2 weight gap in all: 0.021 measured at the default on noise, 1.5e-4 on a smooth picture. Run on, both agree: see
  // tests/denoise.cpp.
  d.add<TotalVariation>(0.03, total_variation);
  // Weights by a fast exponential: 4.2e-6 measured.
  d.add<NonlocalMeans>(1e-5, nonlocal_means);
  // A difference of two blocks that is rounded otherwise may choose another block where two are equally like: rare, and
  // no more than one of sixteen in one of many groups then. What agrees without that is in tests/denoise.cpp.
  d.add<BlockMatching>(0.03, block_matching);
  // Weights by a fast exponential; method=fast is an approximation, see its header.
  d.add<Bilateral>(1e-5, bilateral);
  d.add<Guided>(kSummed, guided);
  d.add<Diffusion>(kSummed, diffusion);
  // Sums there and back, 1.3e-6 measured, and by rule=sure a threshold that is one of the coefficients: 7e-6.
  d.add<WaveletShrink>(1.5e-5, wavelet_shrink);
  // A variance as the difference of two means in single precision, 1e-7 off, against that of the noise: 1.2e-4 measured
  // on smooth parts of photographs.
  d.add<AdaptiveWiener>(3e-4, [](const AdaptiveWiener& f, const ConstView& in) {
    return reference::adaptive_wiener(in, static_cast<int>(f.radius), or_noise(f.noise, in, 1, 0), f.border);
  });
  // As above: 1.0e-4 measured.
  d.add<Lee>(3e-4, [](const Lee& f, const ConstView& in) {
    return reference::lee(in, static_cast<int>(f.radius), speckle_of(f, in), f.border);
  });
  d.add<Anscombe>(kRounded, anscombe);
  d.add<InverseAnscombe>(kRounded, inverse_anscombe);
}

}  // namespace sieve
