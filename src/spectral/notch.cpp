#include "sieve/spectral/notch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/finite.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/spectral/peaks.hpp"
#include "spectral/gains.hpp"

namespace sieve {

using namespace internal;

const char* TextValue<FrequencyPoints>::allowed() {
  return "points fx,fy/fx,fy/... in cycles per pixel, each -0.5 to 0.5";
}
std::string TextValue<FrequencyPoints>::text(const FrequencyPoints& p) {
  std::string s;
  for (const auto& [fx, fy] : p.points)
    s += fmt::format("{}{},{}", s.empty() ? "" : "/", internal::number_text(fx, false),
                     internal::number_text(fy, false));
  return s;
}
FrequencyPoints TextValue<FrequencyPoints>::parse(std::string_view s, const Resources&) {
  FrequencyPoints p;
  for (std::size_t start = 0; start <= s.size();) {
    const std::size_t end = std::min(s.find('/', start), s.size());
    const std::string_view one = s.substr(start, end - start);
    const std::size_t comma = std::min(one.find(','), one.size());
    const auto fx = internal::parse_number(one.substr(0, comma)),
               fy = comma < one.size() ? internal::parse_number(one.substr(comma + 1)) : std::nullopt;
    if (!fx || !fy || std::abs(*fx) > 0.5 || std::abs(*fy) > 0.5)
      throw InvalidArgument(fmt::format("'{}' is no point of the spectrum: give {}", one, allowed()));
    p.points.emplace_back(*fx, *fy);
    start = end + 1;
  }
  return p;
}

double Notch::gain(double fx, double fy) const {
  const LowPass hill{.cutoff = width, .form = form, .order = order};
  double product = 1;
  for (const auto& [px, py] : points.points) {
    product *= 1 - hill.gain(fx - px, fy - py);
    if (px != 0 || py != 0) product *= 1 - hill.gain(fx + px, fy + py);
  }
  return pass ? 1 - product : product;
}
Image Notch::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Notch::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  if (points.points.empty())
    throw InvalidArgument("notch: no point is given: points=fx,fy in cycles per pixel; find_periodic_noise tells them");
  run_gains(in, out, border, false, by_points([this](double fx, double fy) { return gain(fx, fy); }));
}
static std::vector<Stage> stages_of_notch(const Notch& f, const ConstView& in) {
  return frequency_stages(in, (f)(in), [&f](double fx, double fy) { return f.gain(fx, fy); });
}
static std::string meaning_of_notch(const Notch& f) {
  std::string s;
  for (const auto& [fx, fy] : f.points.points)
    s += fmt::format("{}period {:.3g} px", s.empty() ? "" : ", ", 1 / std::hypot(fx, fy));
  return s;
}
void Notch::describe(Description<Notch>& d) {
  d.called("notch", "frequency",
           "Takes out (or keeps) the surroundings of single points of the spectrum and their mirror points.");
  d.also({"band reject", "stripes", "moire", "hum", "periodic"});
  d.wrong("you do not know the frequencies, or stripes cross the whole picture: take remove_periodic_noise.");
  d.meaning(meaning_of_notch);
  d.stages(stages_of_notch);
  d.field("points", &Notch::points, "cycles per pixel", "fx,fy/fx,fy/...");
  d.field("width", &Notch::width, "cycles per pixel", "radius around each point", {0.0005, 0.5});
  d.field("form", &Notch::form, "", "ideal rings, gaussian does not, butterworth lies between");
  d.field("order", &Notch::order, "", "steepness of butterworth", {1, 20});
  d.field("pass", &Notch::pass, "", "keeps the points alone");
  d.border(&Notch::border, nullptr, frequency_borders(), kFrequencyBorderHelp);
}

double Transfer::gain(double fx, double fy) const {
  const Image& t = with.image("transfer", "with");
  const int mid_x = t.width() / 2, mid_y = t.height() / 2;
  const auto at = [&](double gx, double gy) {
    const double x = std::clamp(gx * t.width() + mid_x, 0.0, t.width() - 1.0),
                 y = std::clamp(gy * t.height() + mid_y, 0.0, t.height() - 1.0);
    const int x0 = static_cast<int>(x), y0 = static_cast<int>(y), x1 = std::min(x0 + 1, t.width() - 1),
              y1 = std::min(y0 + 1, t.height() - 1);
    const double ax = x - x0, ay = y - y0;
    const auto sample = [&](int i, int j) { return static_cast<double>(t.at(i, j)); };
    return (1 - ay) * ((1 - ax) * sample(x0, y0) + ax * sample(x1, y0)) +
           ay * ((1 - ax) * sample(x0, y1) + ax * sample(x1, y1));
  };
  return 0.5 * (at(fx, fy) + at(-fx, -fy));
}
Image Transfer::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Transfer::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  if (with.image("transfer", "with").shape().color_channels() != 1)
    throw InvalidArgument("transfer: with= is a color picture: give a gray one, its middle the gain of frequency 0");
  run_gains(in, out, border, false, by_points([this](double fx, double fy) { return gain(fx, fy); }));
}
static std::vector<Stage> stages_of_transfer(const Transfer& f, const ConstView& in) {
  return frequency_stages(in, (f)(in), [&f](double fx, double fy) { return f.gain(fx, fy); });
}
void Transfer::describe(Description<Transfer>& d) {
  d.called("transfer", "frequency", "Multiplies the spectrum by a picture whose middle stands for frequency 0.");
  d.also({"frequency response", "MTF", "custom"});
  d.wrong("the gain follows a formula: low_pass, band_stop and their kin are exact and faster.");
  d.stages(stages_of_transfer);
  d.field("with", &Transfer::with, "", "the gray picture of the gains");
  d.border(&Transfer::border, nullptr, frequency_borders(), kFrequencyBorderHelp);
}

namespace {

float sigma_of(const RemovePeriodicNoise& f, const ConstView& in) {
  return f.blur ? *f.blur : std::clamp(static_cast<float>(std::min(in.width(), in.height())) / 4, 2.0F, 500.0F);
}

// Takes one wave out of a channel in place.
template <class Blur>
void remove_wave(Image& f, const PeriodicWave& wave, float sigma, Blur blur) {
  const int w = f.width(), h = f.height();
  // What is slower than the wave would leak into it where the window of the blur ends, at the border.
  const Image slow = blur(f.view(), static_cast<float>(wave.period), Border::mirror);
  Image re(w, h), im(w, h), ones(w, h);
  const auto turns = [&](int x, int y) { return 2 * std::numbers::pi * std::fmod(wave.fx * x + wave.fy * y, 1.0); };
  parallel_rows(h, RowCost(w, 8), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int x = 0; x < w; ++x) {
        const double v = static_cast<double>(f.at(x, y)) - static_cast<double>(slow.at(x, y));
        re.at(x, y) = static_cast<float>(v * std::cos(turns(x, y)));
        im.at(x, y) = static_cast<float>(-v * std::sin(turns(x, y)));
        ones.at(x, y) = 1;
      }
    }
  });
  re = blur(re.view(), sigma, Border::zero);
  im = blur(im.view(), sigma, Border::zero);
  ones = blur(ones.view(), sigma, Border::zero);
  const double passed =
      1 - std::exp(-2 * std::numbers::pi * std::numbers::pi);  // of the wave, by taking the slow part off
  parallel_rows(h, RowCost(w, 8), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int x = 0; x < w; ++x) {
        const double wave_here = 2 * (static_cast<double>(re.at(x, y)) * std::cos(turns(x, y)) -
                                      static_cast<double>(im.at(x, y)) * std::sin(turns(x, y)));
        f.at(x, y) -= static_cast<float>(wave_here / static_cast<double>(ones.at(x, y)) / passed);
      }
    }
  });
}

template <class Blur>
void remove_all(const ConstView& in, const std::vector<PeriodicWave>& waves, float sigma, const View& out, Blur blur) {
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    Progress progress(in.shape.color_channels() * static_cast<double>(waves.size()));
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      Image f(finite.channel(c));
      for (const PeriodicWave& w : waves) {
        checkpoint();
        remove_wave(f, w, sigma, blur);
        progress.add(1);
      }
      copy(f, result.channel(c));
    }
  });
  copy_alpha(in, out);
}

}  // namespace

Image RemovePeriodicNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void RemovePeriodicNoise::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const std::vector<PeriodicWave> waves = find_periodic_noise(in, most);
  if (waves.empty()) note("no wave stands out of the spectrum: the picture stays as it is");
  for (const PeriodicWave& w : waves)
    note(fmt::format("wave of period {:.2f} pixels at {:.1f} degrees, amplitude {:.4f}, fx {:.4f}, fy {:.4f}", w.period,
                     w.angle, w.amplitude, w.fx, w.fy));
  remove_all(in, waves, sigma_of(*this, in), out, [](const ConstView& v, float sigma, Border border) {
    return Gaussian{.sigma = sigma, .border = border}(v);
  });
}
static std::vector<Stage> stages_of_remove_periodic_noise(const RemovePeriodicNoise& f, const ConstView& in) {
  const std::vector<PeriodicWave> waves = find_periodic_noise(in, f.most);
  const double width = 1 / (2 * std::numbers::pi * static_cast<double>(sigma_of(f, in)));
  return frequency_stages(in, (f)(in), [&](double fx, double fy) {
    double gain = 1;
    for (const PeriodicWave& w : waves) {
      for (const double sign : {1.0, -1.0})
        gain *= 1 - std::exp(-(std::pow(fx - sign * w.fx, 2) + std::pow(fy - sign * w.fy, 2)) / (2 * width * width));
    }
    return gain;
  });
}
void RemovePeriodicNoise::describe(Description<RemovePeriodicNoise>& d) {
  d.called("remove_periodic_noise", "frequency",
           "Finds the peaks of periodic interference in the spectrum and takes just these waves out.");
  d.also({"stripes", "hum", "moire", "destripe", "interference"});
  d.wrong("the picture itself is periodic (a fence, a fabric): that is a wave, too; take notch at chosen points.");
  d.stages(stages_of_remove_periodic_noise);
  d.field("most", &RemovePeriodicNoise::most, "", "waves at most", {1, 64});
  d.field("blur", &RemovePeriodicNoise::blur, "pixels", "how slowly a wave's strength changes over the picture",
          {2, 500});
}

}  // namespace sieve
