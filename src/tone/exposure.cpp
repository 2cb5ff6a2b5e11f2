#include "sieve/tone/exposure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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

constexpr double kTarget = 0.45;

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
  const auto i = static_cast<std::size_t>(place);
  const double before = i == 0 ? 0 : cumulative[i - 1];
  return before + (place - static_cast<double>(i)) * (cumulative[i] - before);
}

}  // namespace

std::span<const std::pair<const char*, ExposureVerdict>> ChoiceNames<ExposureVerdict>::all() {
  static constexpr std::pair<const char*, ExposureVerdict> names[] = {{"balanced", ExposureVerdict::balanced},
                                                                      {"too dark", ExposureVerdict::too_dark},
                                                                      {"too bright", ExposureVerdict::too_bright},
                                                                      {"low contrast", ExposureVerdict::low_contrast},
                                                                      {"unreadable", ExposureVerdict::unreadable}};
  return names;
}

Exposure exposure(const ConstView& in) {
  const Image gray = to_gray(in);
  const ChannelStatistics s = statistics(gray)[0];
  if (s.not_finite == gray.shape().pixels())
    return {ExposureVerdict::unreadable, "no sample is a finite number", 0, 0, 0};
  const ConstView luma = gray.view().channel(0);
  const double shares[] = {0.5, 0.01, 0.99};
  const auto at = percentiles(luma, shares);
  Exposure e{ExposureVerdict::balanced, "", at[0], at[1], at[2]};
  const auto because = [&](ExposureVerdict verdict, std::string reason) {
    e.verdict = verdict;
    e.reason = std::move(reason);
  };
  const double span = e.high - e.low;
  if (e.median < 0.15 || s.at_floor >= 0.5) {
    because(ExposureVerdict::too_dark,
            fmt::format("median {:.3f} (too dark under 0.15), {:.1f} % of the samples at the floor", e.median,
                        100 * s.at_floor));
  } else if (e.median > 0.85 || s.at_ceiling >= 0.1) {
    because(ExposureVerdict::too_bright,
            fmt::format("median {:.3f} (too bright over 0.85), {:.1f} % of the samples at the ceiling", e.median,
                        100 * s.at_ceiling));
  } else if (span < 0.4) {
    because(ExposureVerdict::low_contrast,
            fmt::format("the middle 98 % of the samples span {:.3f} (low under 0.4)", span));
  } else {
    because(ExposureVerdict::balanced,
            fmt::format("median {:.3f}, the middle 98 % of the samples span {:.3f}", e.median, span));
  }
  return e;
}

ExposurePlan plan_exposure(const ConstView& in) {
  const Histogram h = histogram(in, {.channel = luma_channel, .bins = 4096, .low = 0, .high = 1});
  ExposurePlan plan;
  if (h.total() == 0) {
    plan.reason = "left alone: no sample lies in 0..1";
    return plan;
  }
  const auto cumulative = h.cumulative();
  const double low = level_at(h, cumulative, 0.005), high = level_at(h, cumulative, 0.995);
  if (high - low < 1e-3) {
    plan.reason = fmt::format("left alone: all of the picture lies at {:.3f}", low);
    return plan;
  }
  if (high - low < 0.7) {
    plan.stretch = true;
    plan.low = low;
    plan.high = high;
    plan.reason = fmt::format("stretch, because the middle 99 % span {:.3f} .. {:.3f} only (less than 0.7)", low, high);
  }
  const auto before = [&](double level) { return plan.low + level * (plan.high - plan.low); };
  const double dark = share_below(h, cumulative, before(0.15)), bright = 1 - share_below(h, cumulative, before(0.8));
  const double median = (level_at(h, cumulative, 0.5) - plan.low) / (plan.high - plan.low);
  const std::string joint = plan.stretch ? "; then " : "";
  if (dark >= 0.25 && bright >= 1.0 / 7) {
    plan.local = true;
    plan.reason += joint + fmt::format(
                               "local equalization, because {:.0f} % of the pixels are under 0.15 and {:.0f} % over "
                               "0.8: one curve cannot serve both",
                               100 * dark, 100 * bright);
  } else if (median < 0.3 || median > 0.65) {
    plan.gamma = std::clamp(std::log(kTarget) / std::log(std::clamp(median, 1e-4, 1 - 1e-4)), 0.3, 3.0);
    plan.reason +=
        joint + fmt::format("gamma {:.2f}, because the median {} {:.3f} ({})", plan.gamma,
                            plan.stretch ? "is then" : "is", median, median < 0.3 ? "under 0.3" : "over 0.65");
  } else if (!plan.stretch) {
    plan.reason =
        fmt::format("left alone: the middle 99 % span {:.3f} .. {:.3f} and the median is {:.3f}", low, high, median);
  }
  return plan;
}

Image AutoExposure::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void AutoExposure::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const ExposurePlan plan = plan_exposure(in);
  note(plan.reason);
  const Stretch line{.low = static_cast<float>(plan.low), .high = static_cast<float>(plan.high)};
  const bool second = plan.local || plan.gamma != 1;
  if (!plan.stretch && !second) return copy(in, out);
  if (!second) return line(in, out);
  Image between;
  if (plan.stretch) between = line(in);
  const ConstView from = plan.stretch ? between.view() : in;
  if (plan.local) {
    Clahe{.limit = 2}(from, out);
  } else {
    Gamma{.exponent = static_cast<float>(plan.gamma)}(from, out);
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
