#include "pack/search.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>
#include <vector>

#include "sieve/core/watch.hpp"
#include "sieve/quality/compare.hpp"

namespace sieve::internal::packing {

namespace {
constexpr double kFinest = 1e-5, kCoarsest = 4;
constexpr int kMostTries = 16;
// Of the largest allowed size, and in decibels.
constexpr double kSizeAllowed = 0.005, kDecibelsAllowed = 0.02;
}  // namespace

Packed Search::at(double step) {
  checkpoint();
  Method::Coded coded = method_.code(static_cast<float>(step));
  coded.header.info.shape = in_.shape;
  coded.header.info.white_level = in_.white_level;
  Packed p;
  p.bytes = write_container(coded.header, coded.sections);
  p.step = static_cast<float>(step);
  p.kept = coded.nonzero;
  return p;
}

// False position on the logarithm of the step, along which sizes and decibels are nearly straight (the variant that
// halves the distance of an end that stays: Dowell and Jarratt's Illinois algorithm, 1971), and halving where it does
// not get on.
Search::Found Search::search(double first_step, double slope, FunctionRef<double(const Packed&)> distance) {
  constexpr double kGoal = 0.5, kFarthest = 3;  // at once, where the goal lies on the same side of all tries
  // Counted so that distances rise.
  const double sign = slope > 0 ? 1 : -1, ends[] = {sign * std::log(kFinest), sign * std::log(kCoarsest)};
  double low = std::min(ends[0], ends[1]), high = std::max(ends[0], ends[1]), width = high - low;
  double rise = std::abs(slope), next = sign * std::log(first_step);
  std::optional<Tried> below, above;  // the nearest tries on both sides of the goal
  Found found;
  Progress progress(1);
  std::vector<double> phase_ends;
  double share = 0, remaining = 4;  // tries that are still to be expected
  for (int i = 0; i < kMostTries; ++i) {
    const double part = (1 - share) / std::max(1.0, remaining);
    progress.expect(part, phase_ends);
    Tried now{next, 0};
    std::vector<double> measured_ends;
    {
      const Progress::Phases phases;
      Packed p = at(std::exp(sign * next));
      now.distance = distance(p);
      if (now.distance >= 0 && (!found.nearest || now.distance < *found.nearest)) {
        found.best = std::move(p);
        found.nearest = now.distance;
      }
      measured_ends = phases.ends();
    }
    progress.add(part);
    phase_ends = std::move(measured_ends);  // those before are in use up to here
    share += part;
    if (now.distance >= 0 && now.distance <= 1) break;
    remaining = std::min(remaining, 1 + 0.8 * std::log10(std::max(1.0, std::abs(now.distance - kGoal))));

    const bool less = now.distance < kGoal;
    std::optional<Tried>& same = less ? below : above;
    std::optional<Tried>& other = less ? above : below;
    if (same && other) other->distance = kGoal + (other->distance - kGoal) / 2;
    const std::optional<Tried> before = std::exchange(same, now);
    (less ? low : high) = next;
    // No step lies between, or the goal lies beyond an end.
    if (high - low < 1e-6) break;
    if (below && above) {
      next = below->at + (above->at - below->at) * (kGoal - below->distance) / (above->distance - below->distance);
      if (i % 3 == 2) {
        if (high - low > width / 2) next = 0.5 * (low + high);
        width = high - low;
      }
      const double rim = 1e-3 * (high - low);
      next = std::clamp(next, low + rim, high - rim);
    } else {
      if (before && (now.distance - before->distance) * (now.at - before->at) > 0)
        rise = (now.distance - before->distance) / (now.at - before->at);
      next = std::clamp(now.at + std::clamp((kGoal - now.distance) / rise, -kFarthest, kFarthest), low, high);
    }
  }
  return found;
}

Packed Search::most(double most, const char* what, FunctionRef<double(const Packed&)> figure) {
  // A size falls about as the step rises.
  Found found = search(0.06, 1 / kSizeAllowed, [&](const Packed& p) {
    return std::log(most / std::max(1e-9, figure(p))) / -std::log1p(-kSizeAllowed);
  });
  if (!found.nearest) {
    Packed coarsest = at(kCoarsest);
    const double least = figure(coarsest);
    if (least <= most) return coarsest;
    coarsest.note = fmt::format("{} cannot be as low as {:g}: the coarsest step gives {:g}", what, most, least);
    return coarsest;
  }
  if (const double reached = figure(found.best); reached < 0.98 * most)
    found.best.note = fmt::format("{} of {:g} is not reached: {:g} is the nearest below", what, most, reached);
  return std::move(found.best);
}

Packed Search::least_psnr(double least) {
  double reached = 0;
  // Of evenly spread roundings to the step; 20 / ln(10) decibels for each e-fold of it.
  const double first = std::sqrt(12.0) * std::pow(10.0, -least / 20), slope = -20 / std::log(10.0) / kDecibelsAllowed;
  const auto decibels = [&](const Packed& p) { return std::min(1000.0, psnr(unpack(p.bytes).image, in_)); };
  Found found = search(first, slope, [&](const Packed& p) { return (decibels(p) - least) / kDecibelsAllowed; });
  if (!found.nearest) {
    found.best = at(kFinest);
    reached = decibels(found.best);
    if (reached < least)
      found.best.note =
          fmt::format("a PSNR of {:g} dB is not reached: the finest step gives {:.2f} dB", least, reached);
  } else if (reached = least + *found.nearest * kDecibelsAllowed; reached > 1.02 * least) {
    found.best.note = fmt::format("the PSNR is {:.2f} dB: no coarser step stays above {:g} dB", reached, least);
  }
  return std::move(found.best);
}

}  // namespace sieve::internal::packing
