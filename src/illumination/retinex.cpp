#include "sieve/illumination/retinex.hpp"

#include <fmt/format.h>

#include <cmath>

#include "illumination/border_help.hpp"
#include "illumination/luma.hpp"
#include "illumination/tell_flatness.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/spatial/smooth.hpp"
#include "tone/curve_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr float kAdd = 0.01F;

// Finite samples of 0 and more, plus the small amount that keeps the logarithm finite.
Image lifted(const ConstView& in) {
  return map_samples(luma_of(in), [](float v) { return (v > 0 && std::isfinite(v) ? v : 0) + kAdd; });
}

}  // namespace

std::string TextValue<RetinexScales>::text(const RetinexScales& s) {
  std::string t;
  for (const float v : s.sigmas) t += fmt::format("{}{:g}", t.empty() ? "" : ",", v);
  return t;
}
RetinexScales TextValue<RetinexScales>::parse(std::string_view s, const Resources&) {
  RetinexScales all{{}};
  for (std::string_view rest = s; !rest.empty();) {
    const std::string_view word = rest.substr(0, rest.find(','));
    rest.remove_prefix(std::min(rest.size(), word.size() + 1));
    const auto v = internal::parse_number(word);
    if (!v || !(*v >= 0.5) || !(*v <= 500))
      throw InvalidArgument(fmt::format("scales '{}': '{}' is no sigma; give {}", s, word, allowed()));
    all.sigmas.push_back(static_cast<float>(*v));
  }
  if (all.sigmas.empty() || all.sigmas.size() > 8)
    throw InvalidArgument(fmt::format("scales '{}': give {}", s, allowed()));
  return all;
}
const char* TextValue<RetinexScales>::allowed() { return "1 to 8 sigmas of 0.5 to 500 pixels, split by commas"; }

Image Retinex::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Retinex::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Image light = lifted(in);
  Image sum(light.shape());
  const View to = sum.view();
  const auto n = static_cast<std::size_t>(in.width());
  const float share = gain / static_cast<float>(scales.sigmas.size());
  for (std::size_t i = 0; i < scales.sigmas.size(); ++i) {
    const Image around = Gaussian{.sigma = scales.sigmas[i], .border = border}(light);
    parallel_rows(in.height(), n, [&](int first, int last) {
      std::vector<float> logs(2 * n);
      for (int y = first; y < last; ++y) {
        lanes::natural_log(light.row(y), kAdd, logs.data(), n);
        lanes::natural_log(around.row(y), kAdd, logs.data() + n, n);
        float* r = to.row(y);
        for (std::size_t x = 0; x < n; ++x)
          r[x] = (i == 0 ? static_cast<float>(level) : r[x]) + share * (logs[x] - logs[n + x]);
      }
    });
  }
  put_luma(in, sum, out);
  tell_flatness(in, out);
}
void Retinex::describe(Description<Retinex>& d) {
  d.called("retinex", "illumination",
           "Shows every place relative to its surround, over one or several sizes of surround.");
  d.also({"illumination", "local contrast", "surround"});
  d.wrong("absolute levels matter: they are gone; large even areas turn gray: more scales or a larger one help.");
  d.field("scales", &Retinex::scales, "pixels", "sigmas of the surrounds");
  d.field("gain", &Retinex::gain, "", "of the logarithm of the ratio", {0.001, 10});
  d.field("level", &Retinex::level, "0..1 scale", "what a place that equals its surround becomes", {-10, 10});
  d.border(&Retinex::border, nullptr, picture_borders(), kWideBorderHelp);
}

}  // namespace sieve
