#pragma once
// The setting of a denoiser with the least mean squared error, without the truth: Stein's unbiased estimate of the
// risk, with the divergence found by a second run on the picture with a small change (Ramani, Blu and Unser,
// "Monte-Carlo SURE", IEEE Trans. Image Processing 17, 2008).

#include <algorithm>
#include <functional>
#include <optional>
#include <span>

#include "sieve/core/image.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"

namespace sieve::internal {

// The denoised part of a picture, itself at `place` in it, with a setting.
using SettingRun = std::function<Image(const ConstView& part, const Rectangle& place, float setting)>;

// The best of settings in rising order, or what a parabola through the estimates of it and its neighbors, over the
// logarithm of the setting, says between them; to the nearest power of 1.02, so that it does not hang on roundings.
// Judged by up to four parts of 96 x 96 pixels, for white noise of that
// deviation. Samples that are not finite count as 0; notes of the runs are not passed on.
float least_risk_setting(const ConstView& in, double noise, std::span<const float> settings, const SettingRun& run);

// What it costs, in runs on the whole picture.
double cost_of_least_risk(const Shape& in, std::size_t settings);

// A field of a filter that may be left to it, chosen before its work, and the progress of both: what counts its own
// within the lifetime of this stands for the work.
class ChosenSetting {
 public:
  // As given; or a factor of the noise, which is estimated and taken to be `least_noise` at least. prepare(trial,
  // place) makes a copy of the filter fit for the part of the picture at that place.
  template <class F, class Prepare>
  ChosenSetting(const F& f, std::optional<float> F::*field, const ConstView& in, std::span<const float> factors,
                float least_noise, Prepare prepare)
      : ChosenSetting(f.*field, in.shape, factors.size(), [&] {
          const auto noise = std::max(least_noise, static_cast<float>(noise_level(in)));
          return noise * best(f, field, in, factors, noise, noise, prepare);
        }) {}
  // The same for a filter that works on every part as it is.
  template <class F>
  ChosenSetting(const F& f, std::optional<float> F::*field, const ConstView& in, std::span<const float> factors,
                float least_noise)
      : ChosenSetting(f, field, in, factors, least_noise, [](F&, const Rectangle&) {}) {}
  // As given, or what choose() gives out of that many settings.
  template <class Choose>
  ChosenSetting(const std::optional<float>& given, const Shape& in, std::size_t settings, Choose choose)
      : cost_(given ? 0 : cost_of_least_risk(in, settings)), progress_(1 + cost_) {
    progress_.expect(cost_);
    value_ = given ? *given : choose();
    progress_.add(cost_);
  }

  // The factor of `unit` that is best for the field, with noise of that deviation.
  template <class F, class Prepare>
  static float best(const F& f, std::optional<float> F::*field, const ConstView& in, std::span<const float> factors,
                    float noise, float unit, Prepare prepare) {
    return least_risk_setting(in, static_cast<double>(noise), factors,
                              [&](const ConstView& part, const Rectangle& place, float factor) {
                                F trial = f;
                                trial.*field = factor * unit;
                                prepare(trial, place);
                                return trial(part);
                              });
  }

  float value() const { return value_; }

 private:
  double cost_;
  Progress progress_;
  float value_ = 0;
};

}  // namespace sieve::internal
