#pragma once
/// Point spread functions found in a picture.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

/// A point spread function, and how far it can be trusted.
struct FoundPsf {
  Kernel psf;          ///< of sum 1; its text() is what a filter's psf= takes
  std::string family;  ///< "point" (as seen), "gaussian", "disk", "motion", "none" (one sample), "free" (any weights)
  double size = 0;     ///< sigma, radius or length in pixels; of "free" the side
  double angle = 0;    ///< degrees: of the motion, or of the edge from upright
  double confidence = 0;         ///< 0 (a guess) to 1 (sure)
  std::string reason;            ///< one line with the figures that the confidence comes from
  std::vector<double> position;  ///< of an edge: distance from it, pixels
  std::vector<double> profile;   ///< of an edge: the level there, from 0 far on one side to 1 on the other
  std::vector<double> fitted;    ///< of an edge: the same of the PSF found
};

/// What a single bright point on an even background became: the part of 2 radius + 1 pixels to a side about (x, y),
/// less the median of its rim, samples within twice the rim's deviation left out, put to the nearest pixel of its
/// center of gravity. `radius` 1 to 200. The luma of color. InvalidArgument where the part leaves the picture or no
/// point stands out.
[[nodiscard]] FoundPsf psf_from_point(const ConstView& in, int x, int y, int radius = 8);

/// What a straight edge, a little slanted, became: its line is fitted row by row (or column by column), the samples are
/// put together by their distance from it, four to a pixel, and the Gaussian and the disk that fit best are compared.
/// `part` holds the edge alone, 12x12 at least. Source: the method of ISO 12233. The luma of color. InvalidArgument
/// where no edge is found.
[[nodiscard]] FoundPsf psf_from_edge(const ConstView& in, const Rectangle& part);

/// A straight motion from the cepstrum: its zeros at even distances along the motion give a dark spot at its length.
/// The log power spectrum is the mean over overlapping windows of up to 256x256 of the middle 2048x2048, length 3
/// to 80. Always gives the likeliest; confidence below 0.5 means that there may be none. Source: Gennery, Journal of
/// the Optical Society of America 63, 1973. InvalidArgument for pictures below 64x64.
[[nodiscard]] FoundPsf psf_from_motion(const ConstView& in);

/// What blurred a picture, judged by its spectrum alone: none, a Gaussian, a disk (out of focus) and a straight motion,
/// each with the size (and angle) that explains the spectrum best, the likeliest first; their confidences sum to 1.
/// The power of natural pictures falls with a power of the frequency, not alike in all directions, with a little
/// softness of its own; a blur multiplies it by its squared response, and noise is added. All of that is fitted for
/// each blur to the mean power of overlapping windows of 128x128 (64x64 where the picture is below 256 to a side) of
/// the middle 1024x1024, by the likelihood of spectra: one currency for all. Sources: Field, Journal of the Optical
/// Society of America A 4, 1987 (natural pictures); Whittle, 1953 (the likelihood). Sigma 0.5 to 10, radius 1 to 14,
/// length 4 to 40, from 13 on only where psf_from_motion() sees it, too. InvalidArgument for pictures below 64x64.
/// About 0.2 seconds, whatever the size.
[[nodiscard]] std::vector<FoundPsf> psf_by_spectrum(const ConstView& in);

/// Blind, for blurs like a Gaussian: sigma from the steepest edges (edge_blur), then in turns the picture is restored
/// with it and what blur is left is added, until the edges are as steep as those of sharp pictures, or grow no steeper
/// for the noise. Looks at the middle 1024x1024 at most. Confidence from how far four quarters agree, from the noise,
/// and from the width itself: a smooth scene cannot be told from a blurred one. InvalidArgument for pictures below
/// 32x32.
[[nodiscard]] FoundPsf psf_blind(const ConstView& in);

/// Blind, for shakes of any form: the weights of a PSF of `size` x `size` pixels (odd, 3 to 99; two or three more than
/// the shake is wide), from the edges alone. From coarse to fine scales, in turns: the gradients of a sharp picture
/// with as few of them as explain the blurred one, then the weights that blur the strongest of these into what is seen,
/// by least squares; weak weights and loose pieces are dropped. Confidence from what was not used for that: how much
/// better the spectrum is explained than by no blur, as psf_by_spectrum() judges; where the spectrum says that a named
/// blur will do, take that. Where in its square the PSF lies cannot be known: its center of gravity is put in the
/// middle, and what is restored with it may be moved by a pixel. Looks at the middle 512x512. Sources: Cho and Lee, ACM
/// Trans. Graphics 28, 2009 (strong edges, coarse to fine); Xu, Zheng and Jia, CVPR 2013 (few gradients).
/// InvalidArgument for another size and for pictures below 64x64 or three times the size. A second for a size of
/// 25; O(size^4): 20 seconds for 99.
[[nodiscard]] FoundPsf psf_free(const ConstView& in, int size);

}  // namespace sieve
