#pragma once
/// What is wrong with a picture, how sure that is, and the chains that mend it.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/filter/chain.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/restore/find_psf.hpp"
#include "sieve/spectral/peaks.hpp"
#include "sieve/tone/exposure.hpp"
#include "sieve/tone/histogram.hpp"

namespace SIEVE_EXPORT sieve {

/// What may be wrong with a picture, in the order in which it is to be mended.
enum class Trouble {
  dead_lines,      ///< "dead lines": columns or rows that have nothing to do with their neighbors
  impulses,        ///< "impulses": single pixels that stand out
  periodic_noise,  ///< "periodic noise": a wave over the whole picture
  uneven_light,    ///< "uneven light": a slow change of light over the picture
  grain,           ///< "grain": even noise
  photon_grain,    ///< "photon grain": noise that grows with the level
  coarse_grain,    ///< "coarse grain": noise that is alike in neighbors
  blur,            ///< "blur": Gaussian, out of focus, or a straight motion
  blocks,          ///< "blocks": the borders of 8x8 blocks, as a JPEG leaves them
  halos,           ///< "halos": edges that overshoot, as too much sharpening leaves them
  exposure,        ///< "exposure": too dark, too bright, low contrast, or dark and bright at once
  tint,            ///< "tint": colored light
  clipping,        ///< "clipping": many samples at black or white
  few_levels,      ///< "few levels": levels between others stay empty
};
template <>
struct ChoiceNames<Trouble> {
  static std::span<const std::pair<const char*, Trouble>> all();
};

/// One trouble that was found.
struct Finding {
  Trouble trouble = Trouble::grain;
  double figure = 0;      ///< how much of it there is
  std::string unit;       ///< of the figure
  double confidence = 0;  ///< 0..1; how often findings of each confidence are right is in docs/photographs.md
  std::string evidence;   ///< one line with what it was found by
};

/// A chain, what it is expected to bring, and why.
struct Proposal {
  Chain chain;
  double gain = 0;     ///< PSNR in dB that the part which brings most gained on the mean over photographs with its
                       ///< trouble; 0 where that was not measured
  std::string reason;  ///< one line with the figures
};

/// What is wrong with a picture, and what mends it.
struct Diagnosis {
  std::vector<Finding> findings;    ///< with a confidence of 0.3 and more, in the order in which to mend them
  std::vector<Proposal> proposals;  ///< whole chains, the best first; empty: leave the picture as it is
  std::vector<Proposal> leave;      ///< chains that come to mind and would do harm, with the reason; gain 0

  // What was measured, found or not.
  Exposure exposure;                ///< as exposure() says
  HistogramComb comb;               ///< of the color channel with the most empty levels
  double noise = 0;                 ///< deviation of the grain, 0..1 scale
  ImpulseShare impulses;            ///< of the luma
  std::vector<PeriodicWave> waves;  ///< periodic interference
  std::vector<FoundPsf> blurs;      ///< as psf_by_spectrum() says; empty in pictures below 64x64

  /// The finding of that kind, or nullptr: each is told once.
  [[nodiscard]] const Finding* find(Trouble trouble) const;
};

/// Looks for all troubles. Pictures of more than a megapixel are judged by sixteen parts of 256x256 and by their
/// middle 1024x1024. How each trouble is recognized, and when that is mistaken, is told in docs/guide/diagnosis.md.
/// InvalidArgument for an empty picture. O(pixels) for the exposure and the levels, and about half a second for the
/// rest, whatever the size.
[[nodiscard]] Diagnosis diagnose(const ConstView& in);

}  // namespace sieve
