#include "sieve/filter/catalogue.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "sieve/degrade.hpp"
#include "sieve/denoise.hpp"
#include "sieve/filter/plug_and_play.hpp"
#include "sieve/filter/within.hpp"
#include "sieve/illumination.hpp"
#include "sieve/lowrank.hpp"
#include "sieve/restore.hpp"
#include "sieve/sharpen.hpp"
#include "sieve/spatial.hpp"
#include "sieve/spectral.hpp"
#include "sieve/tone.hpp"

namespace sieve {

const Catalogue& Catalogue::standard() {
  static const Catalogue& all = *new Catalogue([] {
    Catalogue c;
    c.add<Convolve>();
    c.add<Correlate>();
    c.add<Gaussian>();
    c.add<Box>();
    c.add<Binomial>();
    c.add<DiskMean>();
    c.add<GradientMagnitude>();
    c.add<GradientDirection>();
    c.add<Minimum>();
    c.add<Maximum>();
    c.add<Midpoint>();
    c.add<Median>();
    c.add<Percentile>();
    c.add<AlphaTrimmedMean>();
    c.add<WeightedMedian>();
    c.add<AdaptiveMedian>();
    c.add<Opening>();
    c.add<Closing>();
    c.add<Crop>();
    c.add<Pad>();
    c.add<Shrink>();
    c.add<Clip>();
    c.add<Stretch>();
    c.add<Absolute>();
    c.add<Gray>();
    c.add<Gamma>();
    c.add<Logarithm>();
    c.add<Sigmoid>();
    c.add<Curve>();
    c.add<Brightness>();
    c.add<Gain>();
    c.add<Contrast>();
    c.add<Invert>();
    c.add<Solarize>();
    c.add<Threshold>();
    c.add<Equalize>();
    c.add<Clahe>();
    c.add<Match>();
    c.add<MatchDistribution>();
    c.add<AutoExposure>();
    c.add<Linearize>();
    c.add<Encode>();
    c.add<ToOklab>();
    c.add<FromOklab>();
    c.add<ToHsv>();
    c.add<FromHsv>();
    c.add<Saturate>();
    c.add<HueShift>();
    c.add<KeepHue>();
    c.add<WhiteBalance>();
    c.add<TotalVariation>();
    c.add<NonlocalMeans>();
    c.add<BlockMatching>();
    c.add<Bilateral>();
    c.add<Guided>();
    c.add<Diffusion>();
    c.add<WaveletShrink>();
    c.add<AdaptiveWiener>();
    c.add<Lee>();
    c.add<Anscombe>();
    c.add<InverseAnscombe>();
    c.add<LowPass>();
    c.add<HighPass>();
    c.add<BandStop>();
    c.add<BandPass>();
    c.add<HighEmphasis>();
    c.add<Notch>();
    c.add<Transfer>();
    c.add<RemovePeriodicNoise>();
    c.add<CosineTruncation>();
    c.add<Inverse>();
    c.add<PseudoInverse>();
    c.add<Wiener>();
    c.add<ConstrainedLeastSquares>();
    c.add<Landweber>();
    c.add<RichardsonLucy>();
    c.add<TotalVariationDeconvolution>();
    c.add<PlugAndPlay>();
    c.add<LowRank>();
    c.add<PrincipalComponents>();
    c.add<Unsharp>();
    c.add<LaplacianSharpen>();
    c.add<BoundedUnsharp>();
    c.add<FlatField>();
    c.add<Background>();
    c.add<Flatten>();
    c.add<Homomorphic>();
    c.add<Retinex>();
    c.add<Add>();
    c.add<Subtract>();
    c.add<Multiply>();
    c.add<Divide>();
    c.add<Blend>();
    c.add<AbsoluteDifference>();
    c.add<Within>();
    c.add<GaussianNoise>();
    c.add<UniformNoise>();
    c.add<ImpulseNoise>();
    c.add<PoissonNoise>();
    c.add<SpeckleNoise>();
    c.add<PeriodicNoise>();
    c.add<DeadLines>();
    c.add<Quantize>();
    c.add<Vignette>();
    c.add<Blur>();
    return c;
  }());
  return all;
}

void Catalogue::add(Filter filter) {
  std::string name = filter.about().name;
  if (name.empty() || name.find_first_of(" =\t") != std::string::npos || name == "then" || name == "or" ||
      name == "end") {
    throw InvalidArgument("catalogue: '" + name +
                          "' cannot be a filter's name: take one word, not 'then', 'or' or 'end'");
  }
  if (!filters_.emplace(name, std::move(filter)).second) {
    throw InvalidArgument("catalogue: a filter called '" + name + "' is there already");
  }
}

namespace {

// Small letters, and one blank for whatever parts words.
std::string plain_words(std::string_view text) {
  std::string s;
  for (const char c : text) {
    const auto letter = static_cast<unsigned char>(c);
    if (std::isalnum(letter) != 0) {
      s += static_cast<char>(std::tolower(letter));
    } else if (!s.empty() && s.back() != ' ') {
      s += ' ';
    }
  }
  if (s.ends_with(' ')) s.pop_back();
  return s;
}

// How well a wanted word fits a text: 0 is the text itself, 1 its beginning, 2 a beginning of one of its words, 3 not.
int fit(const std::string& wanted, std::string_view text) {
  const std::string words = plain_words(text);
  if (words == wanted) return 0;
  if (words.starts_with(wanted)) return 1;
  return (" " + words).find(" " + wanted) != std::string::npos ? 2 : 3;
}

}  // namespace

std::vector<std::string> Catalogue::search(std::string_view word) const {
  const std::string wanted = plain_words(word);
  if (wanted.empty()) return {};
  constexpr int kNone = 100;
  std::vector<std::pair<int, std::string>> found;
  for (const auto& [name, filter] : filters_) {
    // A filter's own name comes before the words it is looked for by, and these before what its summary holds.
    int best = kNone;
    const auto consider = [&](std::string_view text, int behind) {
      if (const int f = fit(wanted, text); f < 3) best = std::min(best, 2 * f + behind);
    };
    consider(name, 0);
    for (const std::string& other : filter.about().search_words) consider(other, 1);
    consider(filter.about().summary, 6);
    if (best < kNone) found.emplace_back(best, name);
  }
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<std::string> names;
  for (auto& [rank, name] : found) names.push_back(std::move(name));
  return names;
}

const Filter& Catalogue::find(std::string_view name) const {
  const auto it = filters_.find(name);
  if (it != filters_.end()) return it->second;
  const std::vector<std::string> all = names(), meant = search(name);
  const std::string near = meant.empty() ? nearest_name(name, all) : meant.front();
  throw InvalidArgument(fmt::format("no filter is called '{}'{}; {} are known", name,
                                    near.empty() ? "" : fmt::format(", did you mean '{}'", near), all.size()));
}

std::vector<std::string> Catalogue::names() const {
  std::vector<std::string> all;
  for (const auto& [name, filter] : filters_) all.push_back(name);
  return all;
}

}  // namespace sieve
