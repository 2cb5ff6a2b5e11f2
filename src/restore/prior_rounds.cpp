#include "restore/prior_rounds.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/row_sums.hpp"
#include "restore/beyond.hpp"
#include "restore/signal_model.hpp"
#include "sieve/core/map.hpp"
#include "sieve/restore/total_variation_deconvolution.hpp"

namespace sieve::internal {

namespace {

// Rounds in a frame that repeats itself: half-quadratic splitting.
class PriorRounds {
 public:
  PriorRounds(const PriorTask& task, const ConstView& in)
      : task_(task),
        in_(in),
        transfer_(transfer_of(task.psf, in.shape, task.wraps ? Border::wrap : Border::taper)),
        given_(framed(in, transfer_)),
        frame_(given_.shape()),
        blurring_(transfer_),
        noise_(task.noise) {}

  PriorAccount run(const Prior& prior, const View& out) {
    PriorAccount a;
    Progress progress(task_.rounds + 2);
    choose(a);
    // Sharp edges from the start: from a linear restoration, with its ripples, the rounds come out lower. A smaller
    // weight, though better in itself, is not reached in so few iterations.
    constexpr double kFirstWeight = 0.25;
    constexpr int kIterations = 30;
    progress.expect(2);
    Image now = TotalVariationDeconvolution{.psf = task_.psf,
                                            .weight = static_cast<float>(kFirstWeight * noise_),
                                            .iterations = kIterations,
                                            .border = Border::wrap}(given_);
    progress.add(2);
    a.start = Image(inside(now));
    for (int i = 0; i < task_.rounds; ++i) {
      checkpoint();
      // Evenly by the octave.
      const double share = task_.rounds > 1 ? static_cast<double>(i) / (task_.rounds - 1) : 1,
                   level = a.first * std::pow(a.last / a.first, share);
      a.residuals.push_back(explain(now, level));
      now = prior(now, level);
      if (now.shape() != frame_)
        throw InvalidArgument(fmt::format("plug_and_play: with= makes {} of {}: give denoisers that keep the shape",
                                          text_of(now.shape()).text, text_of(frame_).text));
      progress.add(1);
    }
    copy(inside(now), out);
    return a;
  }

 private:
  static Image framed(const ConstView& in, Transfer2d& transfer) {
    Image frame = in_frame(in, transfer);
    transfer.repeat();
    return frame;
  }
  ConstView inside(const Image& frame) const { return frame.view().part({0, 0, in_.width(), in_.height()}); }

  // What a PSF of the wrong size leaves counts as noise. The levels fall from the error that is to be expected down to
  // twice the noise. All by trial over photographs: more than kMost spoils texture that the data do not bring back.
  void choose(PriorAccount& a) {
    constexpr double kOfError = 1.4, kMost = 12.0 / 255, kLeastOfNoise = 0.3, kEnd = 2;
    // How far a round keeps to the denoised picture. Below 0.2 rounds may run away; where the PSF is not the right one,
    // what it gets wrong adds up over the rounds.
    constexpr double kRight = 0.3, kWrong = 1, kDoubt = 0.02;
    const SignalModel model(given_, transfer_, task_.noise);
    a.psf_error = SignalModel(under_window(), transfer_, std::sqrt(kHannPower) * task_.noise).psf_error();
    // No denoiser takes more than 1.
    noise_ = std::min(1.0, model.deviation_with(a.psf_error));
    a.psf_doubted = a.psf_error > kDoubt;
    trust_ = a.psf_doubted ? kWrong : kRight;
    const std::vector<float> times = model.noise_with(a.psf_error);
    for (std::size_t i = 0; i < times.size(); ++i) {
      adjoint_.push_back(std::complex<float>(std::conj(transfer_.fourier[i])));
      noise_times_.push_back(times[i]);
    }
    const double error = SignalModel(given_, transfer_, noise_).expected_error();
    a.first = std::max(std::min(kOfError * error, kMost), kLeastOfNoise * noise_);
    a.last = std::min(a.first, kEnd * noise_);
  }

  // The picture under Hann's window, of which kHannPower is the mean square: what the continuation beyond the border
  // would add where the blur lets nothing through is not in it.
  static constexpr double kHannPower = 9.0 / 64;
  Image under_window() const {
    Image out(frame_.width, frame_.height);
    const auto weight = [](int i, int n) { return 0.5 - 0.5 * std::cos(2 * std::numbers::pi * (i + 0.5) / n); };
    double mean = 0;
    for (int y = 0; y < in_.height(); ++y) {
      for (int x = 0; x < in_.width(); ++x) mean += static_cast<double>(in_.row(y)[x]);
    }
    mean /= static_cast<double>(in_.shape.pixels());
    for (int y = 0; y < in_.height(); ++y) {
      for (int x = 0; x < in_.width(); ++x)
        out.at(x, y) = static_cast<float>((static_cast<double>(in_.row(y)[x]) - mean) * weight(x, in_.width()) *
                                          weight(y, in_.height()));
    }
    return out;
  }

  // The picture nearest to `now`, whose error has that deviation, that explains the data G: X + conj(H) (G - H X) /
  // (|H|^2 + a), with a by the noise at each frequency. Beyond the given picture the data are what X explains. Gives
  // the deviation of what was not explained before.
  double explain(Image& now, double level) const {
    const auto a = static_cast<float>(trust_ * std::pow(task_.noise / level, 2));
    Image rest(frame_.width, frame_.height), step(frame_.width, frame_.height);
    blurring_.blur(now, rest.view());
    const double squares = less_data(rest.view());
    filter_fourier(
        rest, frame_.width, frame_.height, Border::wrap,
        [&](int u, std::complex<float>* column) {
          const std::size_t first = transfer_.grid.place(u, 0);
          for (int v = 0; v < transfer_.grid.rows; ++v) {
            const std::complex<float> h = adjoint_[first + static_cast<std::size_t>(v)];
            column[v] *= h / (std::norm(h) + a * noise_times_[first + static_cast<std::size_t>(v)]);
          }
        },
        step.view());
    map_pairs(now, step, now.view(), [](float x, float d) { return x - d; });
    return std::sqrt(squares / static_cast<double>(in_.shape.pixels()));
  }

  // Makes of what is explained what it is too much, 0 beyond the picture; the sum of the squares.
  double less_data(const View& explained) const {
    return sum_of_rows(frame_.height, RowCost(frame_.width, 2), [&](int y) {
      const int known = y < in_.height() ? in_.width() : 0;
      float* r = explained.row(y, 0);
      double s = 0;
      for (int x = 0; x < known; ++x) {
        r[x] -= in_.row(y)[x];
        s += static_cast<double>(r[x]) * static_cast<double>(r[x]);
      }
      std::fill(r + known, r + frame_.width, 0.0F);
      return s;
    });
  }

  const PriorTask& task_;
  ConstView in_;
  Transfer2d transfer_;
  Image given_;  // in its frame
  Shape frame_;
  Blurring blurring_;
  double noise_;      // with what a wrong PSF leaves
  double trust_ = 0;  // in the denoised picture, a in the noise over the level, squared
  std::vector<std::complex<float>> adjoint_;
  std::vector<float> noise_times_;  // at every frequency
};

}  // namespace

PriorAccount restore_with_prior(const PriorTask& task, const ConstView& in, const Prior& prior, const View& out) {
  return PriorRounds(task, in).run(prior, out);
}

}  // namespace sieve::internal
