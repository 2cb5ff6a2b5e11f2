#include "sieve/light/retinex.hpp"

#include <fmt/format.h>

#include <cmath>

#include "core/run.hpp"
#include "light/lightness.hpp"
#include "light/tell_flatness.hpp"
#include "sieve/core/map.hpp"
#include "sieve/reference.hpp"
#include "sieve/spatial/smooth.hpp"
#include "tone/curve_lanes.hpp"

namespace sieve {

namespace {

constexpr float kAdd = 0.01F;

// Finite samples of 0 and more, plus the small amount that keeps the logarithm finite.
Image lifted(const ConstView& in) {
  return map_samples(lightness(in), [](float v) { return (v > 0 && std::isfinite(v) ? v : 0) + kAdd; });
}

}  // namespace

std::string TextValue<Scales>::text(const Scales& s) {
  std::string t;
  for (const float v : s.sigmas) t += fmt::format("{}{:g}", t.empty() ? "" : ",", v);
  return t;
}
Scales TextValue<Scales>::parse(std::string_view s, const Resources&) {
  Scales all{{}};
  for (std::string_view rest = s; !rest.empty();) {
    const std::string_view word = rest.substr(0, rest.find(','));
    rest.remove_prefix(std::min(rest.size(), word.size() + 1));
    const auto v = detail::parse_number(word);
    if (!v || !(*v >= 0.5) || !(*v <= 500))
      throw BadCall(fmt::format("scales '{}': '{}' is no sigma; give {}", s, word, allowed()));
    all.sigmas.push_back(static_cast<float>(*v));
  }
  if (all.sigmas.empty() || all.sigmas.size() > 8) throw BadCall(fmt::format("scales '{}': give {}", s, allowed()));
  return all;
}
const char* TextValue<Scales>::allowed() { return "1 to 8 sigmas of 0.5 to 500 pixels, split by commas"; }

Image Retinex::operator()(const ConstView& in) const { return made(*this, in); }
void Retinex::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const Image light = lifted(in);
  Image sum(light.shape());
  const View to = sum.view();
  const auto n = static_cast<std::size_t>(in.width());
  const float share = gain / static_cast<float>(scales.sigmas.size());
  for (std::size_t i = 0; i < scales.sigmas.size(); ++i) {
    const Image around = Gaussian{.sigma = scales.sigmas[i], .border = Border::mirror}(light);
    parallel_rows(in.height(), n, [&](int first, int last) {
      std::vector<float> logs(2 * n);
      for (int y = first; y < last; ++y) {
        lanes::natural_log(light.row(y), kAdd, logs.data(), n);
        lanes::natural_log(around.row(y), kAdd, logs.data() + n, n);
        float* r = to.row(y);
        for (std::size_t x = 0; x < n; ++x) r[x] = (i == 0 ? level : r[x]) + share * (logs[x] - logs[n + x]);
      }
    });
  }
  put_lightness(in, sum, out);
  tell_flatness(in, out);
}
Image Retinex::plain(const ConstView& in) const {
  const Image light = lifted(in);
  Image sum = map_samples(light, [this](float) { return level; });
  for (const float sigma : scales.sigmas) {
    const Image around = reference::gaussian(light, sigma, Border::mirror, 0);
    const float share = gain / static_cast<float>(scales.sigmas.size());
    sum = map_pairs(sum, map_pairs(light, around, [](float v, float g) { return std::log(v / std::max(g, kAdd)); }),
                    [share](float s, float v) { return s + share * v; });
  }
  Image out(in.shape, in.maximum);
  put_lightness(in, sum, out.view());
  return out;
}
void Retinex::describe(Description<Retinex>& d) {
  d.called("retinex", "light", "Shows every place relative to its surround, over one or several sizes of surround.");
  d.wrong("absolute levels matter: they are gone; large even areas turn gray: more scales or a larger one help.");
  d.agrees_within(2e-3);
  d.field("scales", &Retinex::scales, "pixels", "sigmas of the surrounds");
  d.field("gain", &Retinex::gain, "", "of the logarithm of the ratio", {0.001, 10});
  d.field("level", &Retinex::level, "0..1 scale", "what a place that equals its surround becomes", {-10, 10});
}

}  // namespace sieve
