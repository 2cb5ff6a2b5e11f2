#include "cli/look_transform.hpp"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/session.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/lowrank.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

constexpr int kStrongest = 6;

std::string period_text(double period) { return std::isinf(period) ? "constant" : fmt::format("{:.2f}", period); }

std::string point_text(const FrequencyPoint& p) {
  return fmt::format("u {:>5} v {:>5}  {:>8.4f}{:>9.4f}{:>10}{:>8.1f}{:>11.5f}  rank {}", p.u, p.v, p.fx, p.fy,
                     period_text(p.period), p.angle, p.amplitude, p.rank);
}

ordered_json point_json(const FrequencyPoint& p) {
  return {{"u", p.u},
          {"v", p.v},
          {"fx", p.fx},
          {"fy", p.fy},
          {"period", std::isinf(p.period) ? ordered_json(nullptr) : ordered_json(p.period)},
          {"angle", p.angle},
          {"real", p.value.real()},
          {"imaginary", p.value.imag()},
          {"amplitude", p.amplitude},
          {"rank", p.rank}};
}

// Probes lie in the picture of the spectrum.
std::vector<FrequencyPoint> probed(const Spectrum& s, const TransformsWanted& w) {
  std::vector<FrequencyPoint> all;
  for (const auto& [x, y] : w.probes) all.push_back(probe(s, x, y));
  return all;
}

WaveletBands bands_of(const Image& image, const TransformsWanted& w) {
  return wavelet_forward(image, *w.wavelet, w.levels);
}

Image gray_of(const Image& image) { return image.shape().color_channels() == 1 ? image : to_gray(image); }

// The share of the energy in the slowest quarter of each direction of every block.
double slow_share(const Image& c, int block) {
  const int bw = block == 0 ? c.width() : block, bh = block == 0 ? c.height() : block;
  double all = 0, slow = 0;
  for (int y = 0; y < c.height(); ++y) {
    for (int x = 0; x < c.width(); ++x) {
      const double e = static_cast<double>(c.at(x, y)) * static_cast<double>(c.at(x, y));
      all += e;
      if (x % bw < (bw + 3) / 4 && y % bh < (bh + 3) / 4) slow += e;
    }
  }
  return all > 0 ? slow / all : 1;
}

constexpr double kShares[] = {0.9, 0.95, 0.99};

// Numbers that a rank stores of one channel, as a share of its samples.
double stored(const Image& image, int rank) {
  return static_cast<double>(rank) * (image.width() + image.height() + 1) / static_cast<double>(image.shape().pixels());
}

}  // namespace

void print_transforms(const Image& image, const TransformsWanted& w) {
  if (w.spectrum) {
    const Spectrum s = spectrum(image, w.taper);
    say("  spectrum of {}x{}: {} (F(0,0) = {:.5f}{}); angle: across the stripes, 0 for upright ones\n", s.width(),
        s.height(), image.channels() > 2 ? "the luma" : "the samples", std::abs(s.at(0, 0)),
        w.taper == Taper::none || w.taper == Taper::periodic ? ", the mean" : ", the mean is taken off");
    say("  {:>15}  {:>8}{:>9}{:>10}{:>8}{:>11}\n", "strongest off", "fx", "fy", "period", "angle", "amplitude");
    say("  {:>15}  {:>17}{:>10}{:>8}\n", "the axes", "cycles per pixel", "pixels", "deg");
    for (const FrequencyPoint& p : strongest_off_axes(s, kStrongest)) say("  {}\n", point_text(p));
    for (const FrequencyPoint& p : probed(s, w)) say("  asked: {}\n", point_text(p));
    const auto waves = find_periodic_noise(image);
    for (const PeriodicWave& v : waves)
      say("  interference: period {:.2f} pixels at {:.1f} degrees, amplitude {:.4f}, {:.0f} times its surroundings: "
          "take remove_periodic_noise\n",
          v.period, v.angle, v.amplitude, v.excess);
    if (waves.empty()) say("  no periodic interference stands out\n");
  }
  if (w.cosine) {
    say("  cosine transform of {}: {:.3f} % of the energy in the slowest quarter of each direction\n",
        *w.cosine == 0 ? "the whole picture" : fmt::format("blocks {0}x{0}", *w.cosine),
        100 * slow_share(cosine_forward(gray_of(image), *w.cosine), *w.cosine));
  }
  if (w.wavelet) {
    say("  wavelet {}, {} levels: energy of each band\n", name_of(*w.wavelet), w.levels);
    for (const BandEnergy& e : band_energies(bands_of(image, w)))
      say("    {:18}{:>14.6g}{:>11.4f} %\n", e.name, e.energy, 100 * e.share);
  }
  if (w.singular) {
    const RankShares r = rank_shares(gray_of(image).view().channel(0));
    say("  singular values of {}: {} of them, {:.4g} to {:.3g}\n", image.channels() > 2 ? "the luma" : "the samples",
        r.values.size(), r.values.front(), r.values.back());
    for (const double share : kShares) {
      const int by_sum = r.rank_for(share, false), by_energy = r.rank_for(share, true);
      say("    {:.0f} % of their sum at rank {} ({:.0f} % of the numbers), of their energy at rank {} ({:.1f} %)\n",
          100 * share, by_sum, 100 * stored(image, by_sum), by_energy, 100 * stored(image, by_energy));
    }
  }
}

nlohmann::ordered_json transforms_json(const Image& image, const TransformsWanted& w) {
  ordered_json j = ordered_json::object();
  if (w.spectrum) {
    const Spectrum s = spectrum(image, w.taper);
    ordered_json strongest = ordered_json::array(), asked = ordered_json::array(), waves = ordered_json::array();
    for (const FrequencyPoint& p : strongest_off_axes(s, kStrongest)) strongest.push_back(point_json(p));
    for (const FrequencyPoint& p : probed(s, w)) asked.push_back(point_json(p));
    for (const PeriodicWave& v : find_periodic_noise(image))
      waves.push_back({{"fx", v.fx},
                       {"fy", v.fy},
                       {"period", v.period},
                       {"angle", v.angle},
                       {"amplitude", v.amplitude},
                       {"excess", v.excess}});
    j["spectrum"] = {{"taper", name_of(w.taper)},       {"zero_frequency", s.at(0, 0).real()},
                     {"strongest_off_axes", strongest}, {"probes", asked},
                     {"interference", waves},           {"radial_power", radial_power(s, 1.0 / 128)}};
  }
  if (w.cosine) {
    const Image c = cosine_forward(gray_of(image), *w.cosine);
    j["cosine"] = {{"block", *w.cosine}, {"first", c.at(0, 0)}, {"slow_share", slow_share(c, *w.cosine)}};
  }
  if (w.wavelet) {
    ordered_json bands = ordered_json::array();
    for (const BandEnergy& e : band_energies(bands_of(image, w)))
      bands.push_back({{"band", e.name}, {"energy", e.energy}, {"share", e.share}});
    j["wavelet"] = {{"wavelet", name_of(*w.wavelet)}, {"levels", w.levels}, {"bands", bands}};
  }
  if (w.singular) {
    const RankShares r = rank_shares(gray_of(image).view().channel(0));
    ordered_json ranks = ordered_json::array();
    for (const double share : kShares)
      ranks.push_back(
          {{"share", share}, {"rank_by_sum", r.rank_for(share, false)}, {"rank_by_energy", r.rank_for(share, true)}});
    j["singular"] = {{"values", r.values}, {"ranks", ranks}};
  }
  return j;
}

void add_transforms(Exhibit& exhibit, const Image& image, const TransformsWanted& w) {
  if (w.spectrum) {
    const Spectrum s = spectrum(image, w.taper);
    std::vector<std::pair<double, double>> marks;
    std::vector<std::string> lines;
    const auto waves = find_periodic_noise(image);
    for (const PeriodicWave& v : waves) {
      marks.emplace_back(v.fx, v.fy);
      lines.push_back(fmt::format("interference: period {:.2f} pixels at {:.1f} degrees, amplitude {:.4f}", v.period,
                                  v.angle, v.amplitude));
    }
    for (const FrequencyPoint& p : strongest_off_axes(s, kStrongest)) {
      if (waves.empty()) marks.emplace_back(p.fx, p.fy);
      lines.push_back(fmt::format("strong: period {:.2f} pixels at {:.1f} degrees, amplitude {:.4f}, rank {}", p.period,
                                  p.angle, p.amplitude, p.rank));
    }
    const std::string name =
        fmt::format("log spectrum{}", w.taper == Taper::none ? "" : fmt::format(", taper {}", name_of(w.taper)));
    const Image seen = spectrum_image(s);
    exhibit.picture(
        {name, seen, page::Role::other, StageContent::frequencies},
        {name, draw::frequency_plane(seen, marks),
         waves.empty() ? "rings: the strongest off the axes" : "rings: periodic interference", draw::text(lines)});
    exhibit.on_page().add("waves", lines);
    StageCurve power{"mean power", {}, {}};
    const std::vector<double> rings = radial_power(s, 1.0 / 128);
    for (std::size_t i = 1; i < rings.size(); ++i) {
      power.x.push_back((static_cast<double>(i) + 0.5) / 128);
      power.y.push_back(std::max(1e-16, rings[i]));
    }
    exhibit.curves("radial average", {power}, "frequency, cycles per pixel", "mean power", "", nullptr, {.y = true});
  }
  if (w.cosine) {
    const Image seen = coefficient_image(cosine_forward(gray_of(image), *w.cosine));
    const std::string note =
        *w.cosine == 0 ? "log scale; slowest at the upper left" : fmt::format("log scale; blocks {0}x{0}", *w.cosine);
    exhibit.picture({"cosine coefficients", seen, page::Role::other, StageContent::samples, note},
                    {"cosine coefficients", draw::picture(seen), note, nullptr});
  }
  if (w.wavelet) {
    const WaveletBands bands = bands_of(image, w), gray = bands_of(gray_of(image), w);
    std::vector<std::string> lines;
    for (const BandEnergy& e : band_energies(bands))
      lines.push_back(fmt::format("{}: {:.4f} % of the energy", e.name, 100 * e.share));
    const std::string name = fmt::format("wavelet {}, {} levels", name_of(*w.wavelet), w.levels);
    const std::string note = "each band scaled by itself, details around gray";
    const Image seen = nested_bands(gray);
    exhibit.picture({name, seen, page::Role::other, StageContent::samples, note},
                    {name, draw::picture(seen), note, draw::text(lines)});
    exhibit.on_page().add(name, lines);
  }
  if (w.singular) {
    for (Stage& stage : Filter(LowRank{}).stages(image)) {
      for (StageCurve& c : stage.curves) c.chosen = -1;  // no rank is asked for here
      exhibit.curves(stage);
    }
  }
}

}  // namespace sieve::internal::cli
