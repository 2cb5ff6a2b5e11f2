#include "sieve/reference/definitions.hpp"

#include <algorithm>
#include <cmath>

#include "reference/families.hpp"
#include "sieve/filter/chain.hpp"

namespace sieve::reference {

const Definitions& Definitions::standard() {
  static const Definitions& all = *new Definitions([] {
    Definitions d;
    internal::define_arithmetic(d);
    internal::define_degrade(d);
    internal::define_spatial(d);
    internal::define_rank(d);
    internal::define_tone(d);
    internal::define_color(d);
    internal::define_spectral(d);
    internal::define_lowrank(d);
    internal::define_illumination(d);
    internal::define_denoise(d);
    internal::define_sharpen(d);
    internal::define_restore(d);
    internal::define_plug_and_play(d);
    internal::define_groups(d);
    return d;
  }());
  return all;
}

std::optional<Image> Definitions::plain(const Filter& filter, const ConstView& in) const {
  if (const Chain* chain = filter.as<Chain>()) {
    std::optional<Image> current(in);
    for (const Filter& step : chain->steps()) {
      current = plain(step, *current);
      if (!current) return std::nullopt;
    }
    return current;
  }
  const auto found = definitions_.find(filter.about().type());
  if (found == definitions_.end()) return std::nullopt;
  filter.about().check(filter.step().fields.get());
  return found->second.plain(filter, in);
}

std::optional<double> Definitions::tolerance(const Filter& filter) const {
  if (const Chain* chain = filter.as<Chain>()) {
    double sum = 0;
    for (const Filter& step : chain->steps()) {
      const std::optional<double> one = tolerance(step);
      if (!one) return std::nullopt;
      sum += *one;
    }
    return sum;
  }
  const auto found = definitions_.find(filter.about().type());
  return found == definitions_.end() ? std::nullopt : std::optional<double>(found->second.tolerance);
}

Agreement Definitions::agreement(const Filter& filter, const ConstView& result, const ConstView& plain_result) const {
  const std::optional<double> within = tolerance(filter);
  if (!within) throw InvalidArgument(filter.about().name + ": it has no plain definition to hold it against");
  Agreement a;
  a.same_shape = result.shape == plain_result.shape;
  const auto found = definitions_.find(filter.about().type());
  const double turn = found == definitions_.end() ? 0 : found->second.turn;
  double largest = 1;
  for (int c = 0; a.same_shape && c < result.channels(); ++c) {
    for (int y = 0; y < result.height(); ++y) {
      for (int x = 0; x < result.width(); ++x) {
        const double p = static_cast<double>(result.at(x, y, c)), q = static_cast<double>(plain_result.at(x, y, c));
        if (std::isfinite(q)) largest = std::max(largest, std::abs(q));
        if (p == q || (std::isnan(p) && std::isnan(q))) continue;
        const double apart = std::abs(turn > 0 ? std::remainder(p - q, turn) : p - q),
                     d = std::isnan(apart) ? HUGE_VAL : apart;
        if (d > a.deviation) a.deviation = d, a.x = x, a.y = y, a.channel = c;
      }
    }
  }
  a.tolerance = *within * largest;
  return a;
}

Image plain(const Filter& filter, const ConstView& in) {
  std::optional<Image> result = Definitions::standard().plain(filter, in);
  if (!result) throw InvalidArgument(filter.about().name + ": it has no plain definition");
  return *std::move(result);
}

}  // namespace sieve::reference
