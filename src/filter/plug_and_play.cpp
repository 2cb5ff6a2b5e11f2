#include "sieve/filter/plug_and_play.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/finite.hpp"
#include "core/luma.hpp"
#include "core/opponent.hpp"
#include "core/quiet.hpp"
#include "restore/linear_run.hpp"
#include "restore/prior_rounds.hpp"
#include "restore/told_noise.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/restore/total_variation_deconvolution.hpp"

namespace sieve {

using namespace internal;

namespace {

// The noise of a plane: as it is given, but never less than its samples as floats leave, nor, where it is measured,
// than what was rounded off the picture that it is of.
double noise_of_plane(const std::optional<double>& given, const ConstView& plane, const Rounding& of_picture) {
  constexpr double kLeast = 1e-4;
  ConstView floats = plane;
  floats.white_level = 0;
  const double least = std::max(kLeast, rounding_of(floats).deviation());
  if (given) return std::max(least, *given);
  return std::max({least, of_picture.deviation(), noise_level(plane)});
}

struct Account {
  double noise = 0;
  PriorAccount rounds;
};

// One plane by the rounds.
Account restore_plane(const PlugAndPlay& f, const ConstView& plane, double noise, const View& out) {
  const Prior prior = [&f](const ConstView& picture, double deviation) {
    return f.with.with_noise(deviation)(picture);
  };
  return {noise,
          restore_with_prior({f.psf.normalized(), noise, f.rounds, f.border == Border::wrap}, plane, prior, out)};
}

// Gray, or the light of a color picture by the rounds and its differences of color by total variation: these have
// little texture that a denoiser would know, and the light has less noise than every channel.
Account restore(const PlugAndPlay& f, const ConstView& in, const View& out) {
  // What the steps tell of themselves would come again in every round.
  const Quiet quiet;
  const Rounding rounding = rounding_of(in);
  std::optional<double> given;
  if (f.noise) given = static_cast<double>(*f.noise);
  if (in.channels() == 1) return restore_plane(f, in, noise_of_plane(given, in, rounding), out);
  Progress progress(10);
  constexpr double kLight = 8;
  Image planes = opponent_colors(in, false);
  // The mean of the channels has a range of 0..1, and noise that is less by as much.
  const double to_mean = kOpponent[0][0];
  Image light = map_samples(planes.view().channel(0), [k = static_cast<float>(to_mean)](float v) { return k * v; });
  if (given) given = *given * to_mean;
  progress.expect(kLight);
  Account a = restore_plane(f, light, noise_of_plane(given, light, rounding), light.view());
  progress.add(kLight);
  map_samples(light, planes.view().channel(0), [k = static_cast<float>(1 / to_mean)](float v) { return k * v; });
  if (given) given = *given / to_mean;
  for (int c = 1; c < 3; ++c) {
    constexpr int kIterations = 40;
    const View plane = planes.view().channel(c);
    const auto noise = static_cast<float>(noise_of_plane(given, plane, rounding));
    copy(
        TotalVariationDeconvolution{.psf = f.psf, .noise = noise, .iterations = kIterations, .border = f.border}(plane),
        plane);
    progress.add(1);
  }
  copy(opponent_colors(planes, true), out);
  return a;
}

void require_denoiser(const PlugAndPlay& f) {
  checked_psf(f.psf, "plug_and_play");
  if (f.with.steps().empty())
    throw InvalidArgument("plug_and_play: with= holds no filter: give a denoiser, such as with=block_matching");
}

std::vector<Stage> stages_of(const PlugAndPlay& f, const ConstView& in) {
  validate(f, in);
  const Image gray = finite_luma(in);
  Image out(gray.shape());
  require_denoiser(f);
  PriorAccount a = restore(f, gray, out.view()).rounds;
  std::vector<Stage> stages;
  stages.push_back({"start, by total variation", std::move(a.start)});
  stages.push_back(iteration_stage(a.residuals));
  return stages;
}

}  // namespace

Image PlugAndPlay::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void PlugAndPlay::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  require_denoiser(*this);
  Account a;
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    ConstView colors = finite;
    View to = result;
    colors.shape.channels = to.shape.channels = finite.shape.color_channels();
    a = restore(*this, colors, to);
  });
  copy_alpha(in, out);
  note(fmt::format(
      "noise {:.5f}{}{}: {} rounds, the denoiser told {:.4f} falling to {:.4f}, residual {:.5f} before the last",
      a.noise, in.shape.color_channels() == 3 ? " in the mean of the channels" : "", noise ? "" : " (estimated)",
      rounds, a.rounds.first, a.rounds.last, a.rounds.residuals.back()));
  if (a.rounds.psf_doubted)
    note(
        fmt::format("where this PSF lets nothing through there is more than noise: its size may be wrong by {:.0f} %; "
                    "what that leaves is taken for noise",
                    100 * a.rounds.psf_error));
  if (!with.takes_noise())
    note(fmt::format("no step of with={} can be told how strong the noise is: it does the same in every round",
                     one_word(with.text())));
  tell_of_noise(in, out);
}

void PlugAndPlay::describe(Description<PlugAndPlay>& d) {
  d.called("plug_and_play", "restore",
           "Undoes a blur with any denoiser as the idea of what pictures look like: the best, at a price.");
  d.also({"deblur", "deconvolve", "restore", "PnP", "prior", "half-quadratic splitting", "block matching"});
  d.wrong("time is short, or the PSF is a guess: wiener shows in one step whether it is worth it.");
  describe_psf(d);
  d.meaning(psf_meaning<PlugAndPlay>);
  d.stages(stages_of);
  d.field("with", &PlugAndPlay::with, "", "the denoiser, or several after each other");
  d.field("noise", &PlugAndPlay::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  d.field("rounds", &PlugAndPlay::rounds, "", "of explaining the data and denoising", {1, 200});
  d.border(&PlugAndPlay::border, nullptr, {Border::taper, Border::wrap},
           "taper, and not the edge repeated: what blurred into the picture from beyond is found along with it; wrap: "
           "the picture goes on with itself");
}

}  // namespace sieve
