#pragma once
/// Restoration with any denoiser as its idea of a picture.

#include <optional>

#include "sieve/core/attributes.hpp"
#include "sieve/denoise/block_matching.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/filter/chain.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

/// Deconvolution that takes turns: the picture nearest to the last one that explains the data, X <- (conj(H) G + a X) /
/// (|H|^2 + a) with a = 0.3 (noise / s)^2, then a denoiser for errors of the deviation s. It begins with
/// total_variation_deconvolution (30 iterations at a weight of a quarter of the noise); s falls evenly by the octave
/// from 1.4 times the error that the best linear restoration is expected to leave (at most 12/255), down to twice the
/// noise. It stands here and not with the other restorations since it holds a chain.
///
/// Where the PSF lets through nothing, though one of another size would, and there is more than noise, its size is
/// doubted: under Hann's window the median of (|G|^2 - N) / (|dH|^2 S) / 0.693 is the square of the share d by which it
/// may be wrong, dH being the change of H by the size. What a PSF wrong by d leaves at each frequency then counts as
/// noise, and a is larger by 1 / 0.3 where d is above 2 %; a note tells.
///
/// `with` is any chain that keeps the shape of the picture; steps of it that can be told the strength of the noise are
/// told s in every round (block_matching, wavelet_shrink, nonlocal_means, adaptive_wiener, total_variation, and one's
/// own struct with Description::takes_noise), the others run as they are.
///
/// What blurred into the picture from beyond is not known: with border=taper it is found along with the picture, in a
/// frame as wide as the PSF (the data there are what the last round explains), so that no guess of it leaves ripples;
/// border=wrap is the circular model of textbooks. Of a color picture the mean of the channels goes that way, and the
/// two differences of color by total_variation_deconvolution: over photographs that is better than all three together,
/// since these have little texture and that has less noise, and takes half the time. `noise` is that of each channel,
/// independent of the others; estimated, it is that of each plane. Reckons in single precision. Samples that are not
/// finite count as 0 and stay. Notes tell noise, levels, rounds and residual.
///
/// Sources: Venkatakrishnan, Bouman and Wohlberg, "Plug-and-play priors for model based reconstruction", GlobalSIP
/// 2013; Danielyan, Katkovnik and Egiazarian, "BM3D frames and variational image deblurring", IEEE Trans. Image
/// Processing 21, 2012; the unknown border after Almeida and Figueiredo, IEEE Trans. Image Processing 22, 2013.
/// O(rounds * (pixels log pixels + the chain)).
struct PlugAndPlay {
  Kernel psf = Kernel::gaussian(1);                                ///< of the blur, scaled to sum 1
  Chain with = Chain{BlockMatching{.effort = BlockEffort::fast}};  ///< the denoiser, a chain of one step or more
  std::optional<float> noise = {};                                 ///< deviation of the noise, 0 to 1; auto: estimated
  int rounds = 24;                                                 ///< 1 to 200
  Border border = Border::taper;                                   ///< taper: unknown; wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<PlugAndPlay>& d);
};

}  // namespace sieve
