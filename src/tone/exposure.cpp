#include "sieve/tone/exposure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/to_integer.hpp"
#include "run/validate.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/tone/curve.hpp"
#include "sieve/tone/equalize.hpp"
#include "sieve/tone/point.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

namespace {

// Where the ends of most pictures lie, and how far from black and white those of a low contrast do.
constexpr double kBlack = 0.06, kWhite = 0.94, kEmpty = 0.17;
// Ends that only lack or surplus of light explains.
constexpr double kDark = 0.6, kPale = 0.4;
// A median that does, and what it is brought to.
constexpr double kDarkMedian = 0.16, kFromDark = 0.4;
// Shadows and lights, and the shares of them that no one curve serves.
constexpr double kShadow = 0.15, kLight = 0.8, kManyShadows = 0.4, kManyLights = 0.2, kFewLights = 0.02;

// The level below which a share lies, by a cumulative curve that is straight within its bins.
double level_at(const Histogram& h, const std::vector<double>& cumulative, double share) {
  const auto at = std::lower_bound(cumulative.begin(), cumulative.end(), share);
  if (at == cumulative.end()) return h.high;
  const auto i = static_cast<std::size_t>(at - cumulative.begin());
  const double before = i == 0 ? 0 : cumulative[i - 1], rise = cumulative[i] - before,
               width = (h.high - h.low) / static_cast<double>(h.counts.size());
  return h.low + (static_cast<double>(i) + (rise > 0 ? (share - before) / rise : 0)) * width;
}

double share_below(const Histogram& h, const std::vector<double>& cumulative, double level) {
  const double place = (level - h.low) / (h.high - h.low) * static_cast<double>(h.counts.size());
  if (place < 0) return 0;
  if (place >= static_cast<double>(h.counts.size())) return 1;
  const auto i = to_integer<std::size_t>(place, 0, h.counts.size() - 1);
  const double before = i == 0 ? 0 : cumulative[i - 1];
  return before + (place - static_cast<double>(i)) * (cumulative[i] - before);
}

}  // namespace

std::span<const std::pair<const char*, ExposureVerdict>> ChoiceNames<ExposureVerdict>::all() {
  static constexpr std::pair<const char*, ExposureVerdict> names[] = {
      {"balanced", ExposureVerdict::balanced},
      {"too dark", ExposureVerdict::too_dark},
      {"too bright", ExposureVerdict::too_bright},
      {"low contrast", ExposureVerdict::low_contrast},
      {"dark and bright at once", ExposureVerdict::harsh},
      {"unreadable", ExposureVerdict::unreadable}};
  return names;
}

Exposure exposure(const ConstView& in) {
  Exposure e;
  const auto of = [&](int channel) { return histogram(in, {.channel = channel, .bins = 4096, .low = 0, .high = 1}); };
  const Histogram h = of(luma_channel);
  if (h.total() == 0) {
    e.verdict = ExposureVerdict::unreadable;
    e.reason = "no sample is a finite number in 0..1";
    return e;
  }
  const std::vector<double> cumulative = h.cumulative();
  e.median = level_at(h, cumulative, 0.5);
  e.low = 1, e.high = 0;
  // A few lamps are white at night, too.
  double lightest = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const Histogram one = of(c);
    if (one.total() == 0) continue;
    const std::vector<double> shares = one.cumulative();
    e.low = std::min(e.low, level_at(one, shares, 0.005));
    e.high = std::max(e.high, level_at(one, shares, 0.995));
    lightest = std::max(lightest, level_at(one, shares, 0.9995));
  }
  const auto because = [&e](ExposureVerdict verdict, const std::string& reason) {
    if (e.verdict == ExposureVerdict::balanced) e.verdict = verdict;
    e.reason += (e.reason.empty() ? "" : "; then ") + reason;
  };
  if (e.high - e.low < 1e-3) {
    e.reason = fmt::format("all of the picture lies at {:.3f}", e.low);
    return e;
  }
  const std::string ends = fmt::format("the middle 99 % of the channels lie in {:.3f} .. {:.3f}", e.low, e.high);
  if (e.low > kEmpty && e.high < 1 - kEmpty) {
    because(ExposureVerdict::low_contrast, ends + ", far from black and white");
    e.stretch = true;
  } else if (lightest < kDark) {
    because(ExposureVerdict::too_dark, fmt::format("{}, nothing near white (under {})", ends, kDark));
    e.stretch = true;
  } else if (e.low > kPale) {
    because(ExposureVerdict::too_bright, fmt::format("{}, nothing near black (over {})", ends, kPale));
    e.stretch = true;
  }
  if (e.stretch) {
    const double black = std::min(e.low, kBlack), white = std::max(e.high, kWhite),
                 scale = (e.high - e.low) / (white - black);
    e.from = e.low - black * scale;
    e.to = e.from + scale;
  }
  const auto before = [&](double level) { return e.from + level * (e.to - e.from); };
  const double dark = share_below(h, cumulative, before(kShadow)),
               bright = 1 - share_below(h, cumulative, before(kLight)), median = (e.median - e.from) / (e.to - e.from);
  if (dark >= kManyShadows && bright >= kManyLights) {
    e.local = true;
    because(ExposureVerdict::harsh, fmt::format("{:.0f} % of the pixels are under {} and {:.0f} % over {}: one curve "
                                                "cannot serve both",
                                                100 * dark, kShadow, 100 * bright, kLight));
  } else if (median < kDarkMedian && bright < kFewLights) {
    e.gamma = std::clamp(std::log(kFromDark) / std::log(std::max(median, 1e-4)), 0.3, 1.0);
    because(ExposureVerdict::too_dark,
            fmt::format("median {:.3f} (under {}), {:.1f} % over {}", median, kDarkMedian, 100 * bright, kLight));
  }
  if (e.verdict == ExposureVerdict::balanced) e.reason = fmt::format("median {:.3f}, {}", e.median, ends);
  return e;
}

Image AutoExposure::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void AutoExposure::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Exposure e = exposure(in);
  std::string done = e.stretch ? fmt::format("stretch of {:.3f} .. {:.3f}", e.from, e.to) : "";
  if (e.local || e.gamma != 1)
    done += (done.empty() ? "" : ", then ") + (e.local ? "local equalization" : fmt::format("gamma {:.2f}", e.gamma));
  note((done.empty() ? "left alone" : done) + ": " + e.reason);
  const Stretch line{.low = static_cast<float>(e.from), .high = static_cast<float>(e.to)};
  const bool second = e.local || e.gamma != 1;
  if (!e.corrects()) return copy(in, out);
  if (!second) return line(in, out);
  Image between;
  if (e.stretch) between = line(in);
  const ConstView from = e.stretch ? between.view() : in;
  if (e.local) {
    Clahe{.limit = 2}(from, out);
  } else {
    Gamma{.exponent = static_cast<float>(e.gamma)}(from, out);
  }
}
void AutoExposure::describe(Description<AutoExposure>& d) {
  d.called("auto_exposure", "tone",
           "Chooses between stretch, gamma and local equalization by measured figures, and says why.");
  d.also({"automatic", "too dark", "too bright"});
  d.wrong("a series must keep its relations: it treats every picture by itself; set stretch and gamma by hand.");
}

std::span<const std::pair<const char*, BalanceBy>> ChoiceNames<BalanceBy>::all() {
  static constexpr std::pair<const char*, BalanceBy> names[] = {{"gray_world", BalanceBy::gray_world},
                                                                {"white_patch", BalanceBy::white_patch}};
  return names;
}

}  // namespace sieve
