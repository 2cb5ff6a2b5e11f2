#pragma once
// The setting of a denoiser with the least mean squared error, without the truth: Stein's unbiased estimate of the
// risk, with the divergence found by a second run on the picture with a small change (Ramani, Blu and Unser,
// "Monte-Carlo SURE", IEEE Trans. Image Processing 17, 2008).

#include <functional>
#include <span>

#include "sieve/core/image.hpp"

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

}  // namespace sieve::internal
