#include "sieve/filter/catalogue.hpp"

#include <fmt/format.h>

#include "sieve/degrade.hpp"
#include "sieve/denoise.hpp"
#include "sieve/filter/within.hpp"
#include "sieve/light.hpp"
#include "sieve/lowrank.hpp"
#include "sieve/restore.hpp"
#include "sieve/sharpen.hpp"
#include "sieve/spatial.hpp"
#include "sieve/spectral.hpp"
#include "sieve/tone.hpp"

namespace sieve {

const Catalogue& Catalogue::standard() {
  static const Catalogue all = [] {
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
    c.add<TrimmedMean>();
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
    c.add<Bilateral>();
    c.add<Guided>();
    c.add<Diffusion>();
    c.add<WaveletShrink>();
    c.add<AdaptiveWiener>();
    c.add<Lee>();
    c.add<Stabilize>();
    c.add<Unstabilize>();
    c.add<LowPass>();
    c.add<HighPass>();
    c.add<BandStop>();
    c.add<BandPass>();
    c.add<HighEmphasis>();
    c.add<Notch>();
    c.add<Transfer>();
    c.add<RemoveWaves>();
    c.add<CosineKeep>();
    c.add<Inverse>();
    c.add<PseudoInverse>();
    c.add<Wiener>();
    c.add<LeastSquares>();
    c.add<Landweber>();
    c.add<RichardsonLucy>();
    c.add<LeastVariation>();
    c.add<LowRank>();
    c.add<PrincipalComponents>();
    c.add<Unsharp>();
    c.add<LaplacianSharpen>();
    c.add<LimitedSharpen>();
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
    c.add<LineHum>();
    c.add<DeadLines>();
    c.add<Quantize>();
    c.add<Vignette>();
    c.add<Blur>();
    return c;
  }();
  return all;
}

void Catalogue::add(Filter filter) {
  std::string name = filter.about().name;
  if (name.empty() || name.find_first_of(" =\t") != std::string::npos || name == "then" || name == "or") {
    throw BadCall("catalogue: '" + name + "' cannot be a filter's name: take one word, not 'then' or 'or'");
  }
  if (!filters_.emplace(name, std::move(filter)).second) {
    throw BadCall("catalogue: a filter called '" + name + "' is there already");
  }
}

const Filter& Catalogue::find(std::string_view name) const {
  const auto it = filters_.find(name);
  if (it != filters_.end()) return it->second;
  const std::vector<std::string> all = names();
  const std::string near = nearest_name(name, all);
  throw BadCall(fmt::format("no filter is called '{}'{}; `lsieve list` shows all {}", name,
                            near.empty() ? "" : fmt::format(", did you mean '{}'", near), all.size()));
}

std::vector<std::string> Catalogue::names() const {
  std::vector<std::string> all;
  for (const auto& [name, filter] : filters_) all.push_back(name);
  return all;
}

}  // namespace sieve
