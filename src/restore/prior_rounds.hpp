#pragma once
// Restoration that asks a denoiser what pictures look like.

#include <functional>
#include <vector>

#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::internal {

// What is to be undone, and how.
struct PriorTask {
  Kernel psf;
  double noise;  // deviation in the picture, above 0
  int rounds;
  bool wraps;  // the picture goes on with itself; else nothing is known of what lies beyond
};

// How it went.
struct PriorAccount {
  double psf_error = 0;           // by which share the size of the PSF seems to be wrong
  bool psf_doubted = false;       // so much that it is trusted less
  double first = 0, last = 0;     // deviations that the denoiser was told
  std::vector<double> residuals;  // deviation of the result, blurred again, from the picture, before every round
  Image start;                    // what the rounds began with
};

// prior(picture, deviation of its error) is the denoised picture, of the same shape. `in` is one finite plane.
using Prior = std::function<Image(const ConstView& picture, double deviation)>;
PriorAccount restore_with_prior(const PriorTask& task, const ConstView& in, const Prior& prior, const View& out);

}  // namespace sieve::internal
