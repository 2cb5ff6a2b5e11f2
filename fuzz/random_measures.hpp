#pragma once
// What pictures are measured by, on pictures and with settings out of bytes: histograms, figures, spectra, bands,
// singular values, point spread functions, diagnoses. Each gives its figures, to be held against a second run, and
// throws Broken where what must hold does not.

#include <stdexcept>

#include "random_steps.hpp"

namespace fuzz {

// A law that does not hold.
struct Broken : std::logic_error {
  using std::logic_error::logic_error;
};

inline void require(bool holds, const char* what) {
  if (!holds) throw Broken(what);
}

// What one measure told, number after number.
using Figures = std::vector<double>;

inline void add_all(Figures& figures, const sieve::ConstView& in) {
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) figures.insert(figures.end(), in.row(y, c), in.row(y, c) + in.width());
  }
}

// Largest distance between the color samples of two pictures of one size.
inline double distance(const sieve::ConstView& a, const sieve::ConstView& b) {
  require(a.width() == b.width() && a.height() == b.height(), "the size is kept");
  return sieve::compare(a, b).maximum_deviation;
}

// Random kernels: named ones, and rows of weights.
inline sieve::Kernel random_kernel(Bytes& bytes) {
  const double size = 0.5 + 3 * bytes.share();
  switch (bytes.below(7)) {
    case 0:
      return sieve::Kernel::gaussian(size);
    case 1:
      return sieve::Kernel::disk(size);
    case 2:
      return sieve::Kernel::motion(1 + 3 * size, 180 * bytes.share());
    case 3:
      return sieve::Kernel::airy(size);
    case 4:
      return sieve::Kernel::box(static_cast<int>(size));
    case 5:
      return sieve::Kernel::laplacian(bytes.below(2) == 0 ? 4 : 8);
    default: {
      const int w = 1 + static_cast<int>(bytes.below(5)), h = 1 + static_cast<int>(bytes.below(5));
      std::vector<double> taps;
      for (int i = 0; i < w * h; ++i) taps.push_back(bytes.share() - 0.25);
      return {w, h, taps, static_cast<int>(bytes.below(static_cast<std::uint32_t>(w))),
              static_cast<int>(bytes.below(static_cast<std::uint32_t>(h)))};
    }
  }
}

// A made-up view of slanted edges before a slow ramp, with up to three damages that a diagnosis knows.
inline sieve::Image damaged_view(Bytes& bytes, int largest) {
  using namespace sieve;
  const auto side = [&] {
    return largest / 2 + static_cast<int>(bytes.below(static_cast<std::uint32_t>(largest / 2)));
  };
  const int w = side(), h = side(), channels = bytes.below(2) == 0 ? 1 : 3;
  Image view(w, h, channels);
  const double slope = bytes.share() - 0.5, slow = 0.3 * bytes.share(), high = 0.3 + 0.6 * bytes.share();
  const int stripes = 1 + static_cast<int>(bytes.below(4));
  for (int c = 0; c < channels; ++c) {
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const double at = (x - 0.45 * w + slope * (y - 0.5 * h)) * stripes / w;
        const bool bright = static_cast<int>(std::floor(at)) % 2 == 0;
        view.at(x, y, c) = static_cast<float>((bright ? high : 0.1) + slow * y / h - 0.03 * c);
      }
    }
  }
  const auto strength = [&] { return static_cast<float>(bytes.share() * bytes.share()); };
  for (std::uint32_t i = 0, n = bytes.below(4); i < n; ++i) {
    switch (bytes.below(11)) {
      case 0:
        view = Blur{.psf = random_kernel(bytes)}(view);
        break;
      case 1:
        view = GaussianNoise{.deviation = 0.3F * strength(), .sigma = bytes.below(2) == 0 ? 0.0F : 1.0F}(view);
        break;
      case 2:
        view = ImpulseNoise{.dark = 0.2F * strength(), .bright = 0.2F * strength()}(view);
        break;
      case 3:
        view = PeriodicNoise{.angle = 180 * strength(), .period = 3 + 8 * strength(), .amplitude = 0.2F}(view);
        break;
      case 4:
        view = DeadLines{.share = 0.1F * strength(), .level = strength()}(view);
        break;
      case 5:
        view = Vignette{.strength = strength()}(view);
        break;
      case 6:
        view = PoissonNoise{.photons = 20 + 2000 * strength()}(view);
        break;
      case 7:
        view = Quantize{.bits = 3 + static_cast<int>(bytes.below(6))}(view);
        break;
      case 8:
        view = CosineTruncation{.side = 2, .which = CosineTruncation::Which::corner, .block = 8}(view);
        break;
      case 9:
        view = Unsharp{.amount = 1 + 3 * strength()}(view);
        break;
      default: {
        const float scale = 0.2F + 2 * strength();
        view = map_samples(view, [scale](float v) { return std::clamp(v * scale, 0.0F, 1.0F); });
      }
    }
  }
  return view;
}

inline Figures levels(Bytes& bytes, const sieve::Image& in) {
  using namespace sieve;
  HistogramOptions o{.channel = static_cast<int>(bytes.below(4)) - 1, .bins = static_cast<int>(bytes.below(600))};
  if (bytes.below(2) == 0) o.low = 2 * bytes.share() - 1;
  if (bytes.below(2) == 0) o.high = 2 * bytes.share();
  const Histogram h = histogram(in, o);
  require(h.total() + h.below + h.above + h.not_finite == in.shape().pixels(), "every pixel is counted once");
  Figures all(h.counts.begin(), h.counts.end());
  std::vector<std::size_t> places;
  for (const HistogramPeak& p : histogram_peaks(h)) {
    require(p.level >= h.low && p.level <= h.high, "a peak lies within its histogram");
    all.insert(all.end(), {p.level, p.height});
    places.push_back(static_cast<std::size_t>((p.level - h.low) / (h.high - h.low) * (double(h.counts.size()) - 1)));
  }
  for (const std::size_t v : valleys_between(h, places)) all.push_back(static_cast<double>(v));
  all.push_back(comb(h).share);
  const auto cumulative = h.cumulative();
  require(std::is_sorted(cumulative.begin(), cumulative.end()), "the cumulative histogram rises");
  if (h.total() > 0) all.push_back(otsu_level(h));
  std::size_t counted = 0;
  for (const LevelRow& row : level_table(in, o.channel, static_cast<int>(2 + bytes.below(300)))) {
    counted += row.count;
    all.push_back(row.mapped);
  }
  require(counted + h.not_finite == in.shape().pixels(), "every level is counted once");
  return all;
}

inline Figures samples(Bytes& bytes, const sieve::Image& in) {
  using namespace sieve;
  Figures all{flatness(in)};
  for (const ChannelStatistics& s : statistics(in)) {
    const double slack = 1e-6 * std::max({1.0, std::fabs(s.minimum), std::fabs(s.maximum)});
    require(s.minimum - slack <= s.mean && s.mean <= s.maximum + slack, "the mean lies between the ends");
    all.insert(all.end(), {s.minimum, s.maximum, s.mean, s.deviation, s.at_floor, s.at_ceiling});
  }
  const SampleRange range = sample_range(in);
  const double shares[] = {0, 0.3, bytes.share(), 1};
  const auto ranked = percentiles(in, shares);
  require(ranked[0] == range.minimum && ranked[3] == range.maximum, "the outer percentiles are the ends");
  require(ranked[2] >= ranked[0] && ranked[2] <= ranked[3], "a percentile lies between the ends");
  require(percentile(in, shares[2]) == ranked[2], "one percentile is as several");
  const PixelColor color = color_at(in, in.width() / 2, in.height() / 2);
  const Exposure e = exposure(in);
  all.insert(all.end(), ranked.begin(), ranked.end());
  all.insert(all.end(), {color.lightness, color.chroma, color.hue, e.median, e.low, e.high, e.gamma});
  const ImpulseShare impulses = impulse_share(in);
  all.insert(all.end(), {impulses.dark, impulses.bright, sharpness(in), edge_blur(in), noise_level(in)});
  return all;
}

inline Figures against_truth(Bytes& bytes, const sieve::Image& in) {
  using namespace sieve;
  Image other = in;
  for (std::uint32_t i = 0, n = bytes.below(6); i < n; ++i)
    other.at(static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.width()))),
             static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.height())))) += 0.1F;
  const double peak = 0.5 + bytes.share();
  const Comparison c = compare(other, in, peak), back = compare(in, other, peak);
  require(c.mse == back.mse && c.mae == back.mae && c.maximum_deviation == back.maximum_deviation,
          "a distance is the same both ways");
  const bool alone = psnr(other, in, peak) == c.psnr || std::isnan(c.psnr);
  require(alone, "the PSNR alone is that of all figures");
  Figures all{c.mse, c.mae, c.psnr, c.ssim, c.maximum_deviation, c.changed, ssim(other, in, peak)};
  add_all(all, ssim_map(other, in, peak));
  add_all(all, difference(other, in));
  return all;
}

inline Figures frequencies(Bytes& bytes, const sieve::Image& in, double near) {
  using namespace sieve;
  constexpr Taper kTapers[] = {Taper::none, Taper::none, Taper::hann, Taper::tukey, Taper::periodic};
  constexpr SpectrumShown kShown[] = {SpectrumShown::magnitude, SpectrumShown::phase, SpectrumShown::power,
                                      SpectrumShown::logarithm};
  constexpr SpectrumOrigin kOrigins[] = {SpectrumOrigin::corner, SpectrumOrigin::center};
  const Taper taper = bytes.one_of(kTapers);
  const SpectrumOrigin origin = bytes.one_of(kOrigins);
  const Spectrum s = spectrum(in, taper);
  if (taper == Taper::none && in.channels() < 3) {
    const ConstView gray = in.channel(0);
    require(distance(picture_of(s), gray) < near, "a spectrum is the picture again");
    require(distance(picture_of(double_spectrum(in)), gray) < near, "a spectrum in double, too");
  }
  Figures all;
  add_all(all, spectrum_image(s, bytes.one_of(kShown), origin));
  const FrequencyPoint point = probe(s, static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.width()))),
                                     static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.height()))), origin);
  all.insert(all.end(), {point.amplitude, point.angle, static_cast<double>(point.rank)});
  for (const auto& points : {strongest(s, 5), strongest_off_axes(s, 5)}) {
    for (const FrequencyPoint& p : points) all.push_back(p.amplitude);
  }
  for (const double power : radial_power(s, 0.01 + bytes.share())) all.push_back(power);
  for (const PeriodicWave& w : find_periodic_noise(in)) {
    require(w.amplitude > 0 && w.fy >= 0 && w.fy <= 0.5, "a wave has an amplitude and a frequency");
    all.insert(all.end(), {w.fx, w.fy, w.amplitude});
  }
  add_all(all, periodic_part(in));
  add_all(all, noise_ratio(in, bytes.share()));
  return all;
}

inline Figures coefficients(Bytes& bytes, const sieve::Image& in, double near) {
  using namespace sieve;
  const int block = static_cast<int>(bytes.below(20));
  const Image cosines = cosine_forward(in, block);
  require(distance(cosine_inverse(cosines, block), in) < near, "cosines are the picture again");
  Figures all;
  add_all(all, coefficient_image(cosines));
  const auto wavelets = ChoiceNames<Wavelet>::all();
  const Wavelet wavelet = wavelets[bytes.below(static_cast<std::uint32_t>(wavelets.size()))].second;
  const bool undecimated = bytes.below(3) == 0;
  const int levels = 1 + static_cast<int>(bytes.below(undecimated ? 4 : 8));
  const WaveletBands bands = wavelet_forward(in, wavelet, levels, undecimated);
  require(distance(wavelet_inverse(bands), in) < 10 * near, "wavelets are the picture again");
  for (const BandEnergy& b : band_energies(bands)) all.push_back(b.energy);
  if (!undecimated) add_all(all, nested_bands(bands, bytes.below(2) == 0));
  all.push_back(wavelet_noise_gain(wavelet, levels - 1, bytes.below(2) == 0, bytes.below(2) == 0));
  return all;
}

inline Figures whole_numbers(Bytes& bytes, const sieve::Image& in) {
  std::vector<std::int32_t> plane;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) plane.push_back(static_cast<std::int32_t>(bytes.below(1U << 28U)));
  }
  const std::vector<std::int32_t> before = plane;
  const int levels = static_cast<int>(bytes.below(33));
  sieve::reversible_forward(plane, in.width(), in.height(), levels);
  Figures all(plane.begin(), plane.end());
  sieve::reversible_inverse(plane, in.width(), in.height(), levels);
  require(plane == before, "whole numbers come back bit for bit");
  return all;
}

inline Figures matrices(Bytes& bytes, const sieve::Image& in, double near) {
  using namespace sieve;
  constexpr SvdMethod kMethods[] = {SvdMethod::automatic, SvdMethod::exact, SvdMethod::randomized};
  const ConstView gray = in.channel(0);
  const int most = std::min(in.width(), in.height());
  const int rank = static_cast<int>(bytes.below(static_cast<std::uint32_t>(most + 1)));
  const Svd d = svd(gray, rank, bytes.one_of(kMethods));
  require(std::is_sorted(d.values.rbegin(), d.values.rend()), "singular values fall");
  if (d.rank == most) require(distance(picture_of(d, most), gray) < 10 * near, "all terms are the picture again");
  Figures all(d.values);
  if (d.rank > 0) all.insert(all.end(), {d.energy(1), static_cast<double>(d.bytes(d.rank))});
  const RankShares shares = rank_shares(gray);
  all.insert(all.end(), shares.energy.begin(), shares.energy.end());
  all.push_back(shares.rank_for(bytes.share(), bytes.below(2) == 0));
  const Principal rows = principal_rows(in);
  add_all(all, picture_of_rows(rows, in.shape(), 1 + rows.components / 2));
  const int side = 2 + static_cast<int>(bytes.below(7));
  const Principal patches = principal_patches(in, side);
  add_all(all, picture_of_patches(patches, in.shape(), side, 1 + patches.components / 2));
  return all;
}

inline Figures kernels(Bytes& bytes, const sieve::Image& in) {
  using namespace sieve;
  const Kernel kernel = random_kernel(bytes);
  require(Kernel::parse(kernel.text()).taps() == kernel.taps(), "the text of a kernel is the kernel");
  const Invertibility told = invertibility(kernel, in.width(), in.height());
  const DoubleSpectrum h = transfer_function(kernel, in.width(), in.height());
  const auto u = static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.width())));
  const auto v = static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.height())));
  const Kernel normal = kernel.normalized();
  const auto by_taps =
      frequency_response(normal, static_cast<double>(u) / in.width(), static_cast<double>(v) / in.height());
  double weights = 0;
  for (const double t : normal.taps()) weights += std::fabs(t);
  require(std::abs(by_taps - h.at(u, v)) <= 1e-9 * weights, "a transfer function is the sum over the taps");
  const WeightCurve curve = weight_curve(in, {.psf = kernel});
  Figures all{told.smallest, told.noise_gain, curve.noise, std::abs(by_taps)};
  all.insert(all.end(), curve.score.begin(), curve.score.end());
  return all;
}

// On pictures that are large enough for it.
inline Figures blurs(Bytes& bytes, const sieve::Image& in) {
  using namespace sieve;
  const Image blurred = Convolve{.kernel = random_kernel(bytes)}(in);
  std::vector<FoundPsf> found;
  switch (bytes.below(6)) {
    case 0:
      found = psf_by_spectrum(blurred);
      break;
    case 1:
      found = {psf_from_motion(blurred)};
      break;
    case 2:
      found = {psf_blind(blurred)};
      break;
    case 3:
      found = {psf_free(blurred, 3 + 2 * static_cast<int>(bytes.below(6)))};
      break;
    case 4: {
      const int x = static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.width())));
      const int y = static_cast<int>(bytes.below(static_cast<std::uint32_t>(in.height())));
      found = {psf_from_edge(blurred, {x, y, in.width() - x, in.height() - y})};
      break;
    }
    default: {
      Image point(in.width(), in.height());
      point.at(in.width() / 2, in.height() / 2) = 1;
      const Image seen = Convolve{.kernel = random_kernel(bytes)}(point);
      found = {psf_from_point(seen, in.width() / 2, in.height() / 2, 1 + static_cast<int>(bytes.below(12)))};
    }
  }
  Figures all;
  for (const FoundPsf& f : found) {
    require(f.confidence >= 0 && f.confidence <= 1, "a confidence is from 0 to 1");
    require(std::fabs(f.psf.sum() - 1) < 1e-6, "a PSF sums to 1");
    require(Kernel::parse(f.psf.text()).taps().size() == f.psf.taps().size(), "the text of a PSF is the PSF");
    all.insert(all.end(), {f.size, f.angle, f.confidence});
    all.insert(all.end(), f.psf.taps().begin(), f.psf.taps().end());
  }
  return all;
}

inline Figures troubles(const sieve::Image& in) {
  using namespace sieve;
  const Diagnosis d = diagnose(in);
  Figures all{d.noise, d.comb.share};
  for (const Finding& f : d.findings) {
    require(f.confidence >= 0.3 && f.confidence <= 1 && !f.evidence.empty(), "a finding says why");
    all.insert(all.end(), {static_cast<double>(f.trouble), f.figure, f.confidence});
  }
  for (const Proposal& p : d.proposals) {
    require(Chain::parse(p.chain.text()).text() == p.chain.text(), "a proposal can be given as text");
    if (in.width() * in.height() < 4000) add_all(all, Engine::standard().run(p.chain, in).image);
  }
  const Evidence e = evidence(in);
  all.insert(all.end(), e.edge.begin(), e.edge.end());
  all.insert(all.end(), e.noise.begin(), e.noise.end());
  return all;
}

// One of the measures of a picture, both out of the bytes. InvalidArgument where they do not go together.
inline Figures random_measure(Bytes& bytes) {
  // What takes a second comes seldom.
  const std::uint32_t drawn = bytes.below(64), which = drawn < 4 ? 7 : drawn < 6 ? 8 : drawn % 7;
  const Samples kind = bytes.below(3) == 0 ? Samples::odd : Samples::usual;
  const int largest = which >= 7 || which == 3 ? 150 : 40;
  const bool view = kind == Samples::usual && bytes.below(4) != 0;
  const sieve::Image in = view ? damaged_view(bytes, largest) : random_picture(bytes, largest, kind);
  // Nothing is asked of the roundings of samples that single precision hardly holds.
  const double near = kind == Samples::usual ? 1e-5 : std::numeric_limits<double>::infinity();
  switch (which) {
    case 0:
      return levels(bytes, in);
    case 1:
      return samples(bytes, in);
    case 2:
      return against_truth(bytes, in);
    case 3:
      return frequencies(bytes, in, near);
    case 4:
      return coefficients(bytes, in, near);
    case 5:
      return bytes.below(2) == 0 ? whole_numbers(bytes, in) : matrices(bytes, in, near);
    case 6:
      return kernels(bytes, in);
    case 7:
      return blurs(bytes, in);
    default:
      return troubles(in);
  }
}

}  // namespace fuzz
