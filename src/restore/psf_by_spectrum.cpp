#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "restore/blur_model.hpp"
#include "restore/middle_in_reach.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/restore/find_psf.hpp"

namespace sieve {

using namespace internal;

namespace {

// A kind of blur.
struct Family {
  const char* name;
  double least;  // sharp pictures differ from each other as by blurs up to that size
  int numbers;   // to choose
  BlurResponse (*response)(double size, double angle);
  Kernel (*psf)(double size, double angle);
};
const Family kNone{"none", 0, 0, [](double, double) { return BlurResponse::none(); },
                   [](double, double) { return Kernel(1, 1, {1}); }};
const Family kGaussian{"gaussian", 0.8, 1, [](double size, double) { return BlurResponse::gaussian(size); },
                       [](double size, double) { return Kernel::parse(fmt::format("gaussian:sigma={:.2f}", size)); }};
const Family kDisk{"disk", 1.4, 1, [](double size, double) { return BlurResponse::disk(size); },
                   [](double size, double) { return Kernel::parse(fmt::format("disk:radius={:.2f}", size)); }};
const Family kMotion{"motion", 5, 2, BlurResponse::motion, [](double size, double angle) {
                       return Kernel::parse(fmt::format("motion:length={:.1f},angle={:.1f}", size, angle));
                     }};

struct Hypothesis {
  const Family* family;
  double size, angle;
  BlurModel::Fit fit = {};
};

// Each fitted in so many rounds, the best first.
std::vector<Hypothesis> ranked(const BlurModel& model, const BlurModel::Fit& from, std::vector<Hypothesis> all,
                               int rounds) {
  parallel_rows(
      static_cast<int>(all.size()), RowCost(1 << 16, 4),
      [&](int first, int last) {
        for (int i = first; i < last; ++i) {
          checkpoint();
          Hypothesis& h = all[static_cast<std::size_t>(i)];
          h.fit = model.fit(h.family->response(h.size, h.angle), from, rounds);
        }
      },
      1);
  std::stable_sort(all.begin(), all.end(),
                   [](const Hypothesis& a, const Hypothesis& b) { return a.fit.score > b.fit.score; });
  return all;
}
Hypothesis best_of(const BlurModel& model, const BlurModel::Fit& from, std::vector<Hypothesis> all, int rounds) {
  return ranked(model, from, std::move(all), rounds)[0];
}

// Sizes from `low` up by a factor, then closer and closer to the best of them.
Hypothesis best_size(const BlurModel& model, const BlurModel::Fit& from, const Family& family, double low, double high,
                     double factor) {
  constexpr int kRounds = 6;
  std::vector<Hypothesis> all;
  for (double size = low; size < high; size *= factor) all.push_back({&family, size, 0});
  Hypothesis best = best_of(model, from, all, kRounds);
  for (int closer = 0; closer < 3; ++closer) {
    factor = std::sqrt(factor);
    best =
        best_of(model, best.fit, {best, {&family, best.size / factor, 0}, {&family, best.size * factor, 0}}, kRounds);
  }
  return best;
}

// Every direction and length, over few frequencies and in few rounds; the best of these again, then closer, over all.
Hypothesis best_motion(const BlurModel& coarse, const BlurModel& model, const BlurModel::Fit& from, double shortest,
                       double longest) {
  constexpr double kFactor = 1.15;
  std::vector<Hypothesis> all;
  for (double length = shortest; length < longest; length *= kFactor) {
    const int directions = std::max(8, static_cast<int>(2 * length));
    for (int k = 0; k < directions; ++k) all.push_back({&kMotion, length, 180.0 * k / directions});
  }
  constexpr std::size_t kAgain = 24;
  all = ranked(coarse, from, std::move(all), 2);
  all.resize(std::min(all.size(), kAgain));
  Hypothesis best = best_of(model, from, std::move(all), 5);
  double by = std::sqrt(kFactor), turn = 45 / best.size;
  for (int closer = 0; closer < 4; ++closer, by = std::sqrt(by), turn /= 2) {
    std::vector<Hypothesis> near;
    for (const double size : {best.size / by, best.size, std::min(best.size * by, longest)}) {
      for (const double angle : {best.angle - turn, best.angle, best.angle + turn})
        near.push_back({&kMotion, size, angle});
    }
    best = best_of(model, from, near, 5);
  }
  return best;
}

// Long motions leave so fine stripes in a spectrum that a fence or a row of houses may, too: only one that the cepstrum
// sees as well is believed.
bool seen_in_cepstrum(const FoundPsf& seen, const Hypothesis& motion) {
  constexpr double kLength = 0.15, kAngle = 8;
  return std::abs(seen.size / motion.size - 1) < kLength &&
         std::abs(std::remainder(seen.angle - motion.angle, 180)) < kAngle;
}

}  // namespace

std::vector<FoundPsf> psf_by_spectrum(const ConstView& in) {
  require_input(in, "psf_by_spectrum");
  if (in.width() < 64 || in.height() < 64)
    throw InvalidArgument(
        fmt::format("psf_by_spectrum: the picture is {}x{}: 64x64 pixels are needed", in.width(), in.height()));
  constexpr int kMostSide = 1024;
  const Image gray = middle_in_reach(in, kMostSide);
  const BlurModel model(gray, 2), coarse = model.thinned(4);
  const Hypothesis none = best_of(model, model.start(), {{&kNone, 0, 0}}, 12);
  constexpr double kShortest = 4, kLong = 14, kLongest = 40;
  std::vector<Hypothesis> all = {none, best_size(model, none.fit, kGaussian, 0.5, 10, 1.2),
                                 best_size(model, none.fit, kDisk, 1, 14, 1.07),
                                 best_motion(coarse, model, none.fit, kShortest, kLong)};
  const Hypothesis far = best_motion(coarse, model, none.fit, kLong, kLongest);
  Hypothesis& motion = all.back();
  constexpr double kEnd = 0.9;
  if (const bool farther = far.fit.score > motion.fit.score; farther || motion.size > kEnd * kLong) {
    const FoundPsf seen = psf_from_motion(gray);
    if (farther && seen_in_cepstrum(seen, far)) {
      motion = far;
    } else if (motion.size > kEnd * kLong && !seen_in_cepstrum(seen, motion)) {
      // It would be longer.
      motion.fit.score = std::min(motion.fit.score, none.fit.score);
    }
  }
  // The mean of few windows is uncertain; from many on it is the pictures that are not quite as the model has them.
  constexpr double kMany = 64;
  const double sure = std::min(1.0, model.windows() / kMany);
  // Of every number that is chosen.
  const double price = 0.0005 / sure;
  for (Hypothesis& q : all) {
    if (q.size < q.family->least) q.fit.score = std::min(q.fit.score, none.fit.score);
    q.fit.score -= q.family->numbers * price;
  }
  // How many frequencies count, as they are not independent and no picture is quite as the model has it: chosen so that
  // over fifteen photographs, seven blurs each, confidences are about the share of those that are right.
  constexpr double kCertainty = 700;
  double sum = 0, most = none.fit.score;
  for (const Hypothesis& q : all) most = std::max(most, q.fit.score);
  std::vector<FoundPsf> found;
  for (const Hypothesis& q : all) {
    FoundPsf f;
    f.family = q.family->name;
    f.size = q.size;
    f.angle = std::fmod(q.angle + 360, 180);
    f.psf = q.family->psf(f.size, f.angle);
    f.confidence = std::exp((q.fit.score - most) * kCertainty * sure);
    sum += f.confidence;
    f.reason = fmt::format(
        "{}{:.0f} % of the frequencies rise above the grain",
        q.family == &kNone ? ""
                           : fmt::format("the log likelihood of its spectrum is {:+.4f} a frequency against no blur; ",
                                         q.fit.score - none.fit.score),
        100 * model.informative(none.fit));
    found.push_back(std::move(f));
  }
  for (FoundPsf& f : found) f.confidence /= sum;
  std::stable_sort(found.begin(), found.end(),
                   [](const FoundPsf& a, const FoundPsf& b) { return a.confidence > b.confidence; });
  return found;
}

}  // namespace sieve
