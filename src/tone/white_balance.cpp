#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "run/validate.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/tone/exposure.hpp"
#include "spatial/lanes.hpp"
#include "tone/curve_lanes.hpp"
#include "tone/point_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kParts = 4096;
constexpr float kFloor = 0.02F, kCeiling = 0.98F;

// What each channel's votes say: sum in linear light, number, and how many lie in each part of 0..1 as stored.
struct Votes {
  std::array<double, 3> sum{};
  std::size_t count = 0;
  std::array<std::vector<std::uint32_t>, 3> levels;
};

Votes count_votes(const ConstView& in, BalanceBy by) {
  std::vector<Votes> rows(static_cast<std::size_t>(in.height()));
  const auto n = static_cast<std::size_t>(in.width());
  constexpr int kStrip = 64;
  parallel_rows(
      in.height(), 3 * n,
      [&](int first, int last) {
        std::vector<float> light(n), vote(n);
        Votes& v = rows[static_cast<std::size_t>(first)];
        for (auto& l : v.levels) l.assign(by == BalanceBy::white_patch ? kParts : 0, 0);
        for (int y = first; y < last; ++y) {
          const float *r = in.row(y, 0), *g = in.row(y, 1), *b = in.row(y, 2);
          for (std::size_t x = 0; x < n; ++x) {
            vote[x] = std::min(r[x], std::min(g[x], b[x])) > kFloor && std::max(r[x], std::max(g[x], b[x])) < kCeiling
                          ? 1.0F
                          : 0.0F;
          }
          v.count += static_cast<std::size_t>(std::lround(lanes::dot(vote.data(), vote.data(), n)));
          for (std::size_t c = 0; c < 3; ++c) {
            const float* row = in.row(y, static_cast<int>(c));
            if (by == BalanceBy::gray_world) {
              // A sample that has no vote may be no number: it is put to 0 first.
              for (std::size_t x = 0; x < n; ++x) light[x] = vote[x] > 0 ? row[x] : 0;
              lanes::linearize(light.data(), light.data(), n);
              v.sum[c] += static_cast<double>(lanes::dot(light.data(), vote.data(), n));
            } else {
              for (std::size_t x = 0; x < n; ++x) {
                if (vote[x] > 0) ++v.levels[c][static_cast<std::size_t>(row[x] * kParts)];
              }
            }
          }
        }
      },
      kStrip);
  Votes all;
  for (auto& l : all.levels) l.assign(kParts, 0);
  for (int first = 0; first < in.height(); first += kStrip) {
    const Votes& v = rows[static_cast<std::size_t>(first)];
    all.count += v.count;
    for (std::size_t c = 0; c < 3; ++c) {
      all.sum[c] += v.sum[c];
      for (std::size_t b = 0; b < v.levels[c].size(); ++b) all.levels[c][b] += v.levels[c][b];
    }
  }
  return all;
}

// The sRGB curve from display-encoded to light (IEC 61966-2-1), for 0 and more.
double to_light(double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); }

// The factors for linear light; 1 each where nothing can vote.
std::array<double, 3> gains_of(const ConstView& in, const WhiteBalance& f) {
  const Votes votes = count_votes(in, f.by);
  if (votes.count == 0) return {1, 1, 1};
  std::array<double, 3> level{};
  for (std::size_t c = 0; c < 3; ++c) {
    if (f.by == BalanceBy::gray_world) {
      level[c] = votes.sum[c] / static_cast<double>(votes.count);
    } else {
      auto left = static_cast<double>(votes.count) * static_cast<double>(f.percent) / 100;
      std::size_t b = kParts - 1;
      while (b > 0 && (left -= votes.levels[c][b]) >= 0) --b;
      level[c] = to_light((static_cast<double>(b) + 0.5) / kParts);
    }
  }
  const LumaWeights w = luma_weights(GrayBy::rec709);
  const double target = w.red * level[0] + w.green * level[1] + w.blue * level[2];
  std::array<double, 3> gains{};
  for (std::size_t c = 0; c < 3; ++c) gains[c] = std::clamp(target / level[c], 0.125, 8.0);
  return gains;
}

}  // namespace

Image WhiteBalance::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void WhiteBalance::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  if (in.shape.color_channels() != 3) return copy(in, out);
  const auto gains = gains_of(in, *this);
  note(fmt::format("factors in linear light: red {:.3f}, green {:.3f}, blue {:.3f}", gains[0], gains[1], gains[2]));
  each_color_row(in, out,
                 [&](const float* a, const float* b, const float* c, float* x, float* y, float* z, std::size_t n) {
                   const float* from[] = {a, b, c};
                   float* to[] = {x, y, z};
                   for (std::size_t i = 0; i < 3; ++i) {
                     lanes::linearize(from[i], to[i], n);
                     lanes::line(to[i], 0, static_cast<float>(gains[i]), 0, to[i], n);
                     lanes::encode(to[i], to[i], n);
                   }
                 });
}
void WhiteBalance::describe(Description<WhiteBalance>& d) {
  d.called("white_balance", "color",
           "Takes the tint of the light away: the mean becomes gray, or the brightest white.");
  d.also({"color cast", "gray world", "tint", "temperature"});
  d.wrong(
      "the scene itself is of one color (a lawn, a sunset): gray_world takes that for the light; take white_patch or "
      "leave it.");
  d.field("by", &WhiteBalance::by, "", "how the color of the light is guessed");
  d.field("percent", &WhiteBalance::percent, "percent", "of the brightest samples left out with by=white_patch",
          {0, 50});
}

}  // namespace sieve
