#include "cli/trial.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <numeric>

namespace sieve::internal::cli {

using nlohmann::ordered_json;

double measured_noise(const ConstView& result) {
  try {
    return noise_level(result);
  } catch (const InvalidArgument&) {
    return std::numeric_limits<double>::quiet_NaN();
  }
}

namespace {

Trial run_trial(const Chain& chain, const ConstView& in, Engine& engine) {
  Trial t;
  t.name = chain.text();
  Run run = engine.run(chain, in);
  t.result = std::move(run.image);
  t.seconds = run.report.seconds;
  return t;
}

// The truth may be null.
void measure(Trial& t, const Image* truth) {
  if (truth != nullptr) {
    require_same_size(t.result, "the result of `" + t.name + "`", *truth, "the truth");
    t.against = compare(t.result, *truth);
  }
  t.noise = measured_noise(t.result);
  t.sharpness = sharpness(t.result);
}

// The seconds that each chain is expected to take, and those of measuring what comes out.
struct Shares {
  std::vector<double> running;
  double measuring = 1;
};
Shares rehearsed(const std::vector<Chain>& chains, const Image& in, bool truth) {
  Shares s{std::vector<double>(chains.size(), 1)};
  if (!progress_heard()) return s;
  for (std::size_t i = 0; i < chains.size(); ++i) s.running[i] = Engine::standard().expected_seconds(chains[i], in);
  Trial part;
  const int width = std::min(192, in.width()), height = std::min(192, in.height());
  part.result = Image(in.view().part({0, 0, width, height}));
  const Image same = part.result;
  Watch deaf;
  const Watch::Active active(deaf);
  const auto start = std::chrono::steady_clock::now();
  measure(part, truth ? &same : nullptr);
  s.measuring = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() *
                static_cast<double>(in.shape().pixels()) / (static_cast<double>(width) * height);
  return s;
}

}  // namespace

Contest::Contest(const Session& session, std::string in_path, std::string truth_path, std::string ranked_by,
                 const DeviceArguments& device)
    : in_file(std::move(in_path)),
      truth_file(std::move(truth_path)),
      by(std::move(ranked_by)),
      figure(figure_of(!by.empty()          ? by
                       : truth_file.empty() ? "noise"
                                            : "psnr",
                       !truth_file.empty())),
      ranked(!by.empty() || !truth_file.empty()),
      engine(device) {
  in = session.read(in_file).image;
  if (!truth_file.empty()) truth = session.read(truth_file).image;
}

void Contest::run(std::size_t count, const std::function<Chain(std::size_t)>& chain) {
  std::vector<Chain> chains;
  for (std::size_t i = 0; i < count; ++i) chains.push_back(chain(i));
  const Shares shares = rehearsed(chains, in, truth.has_value());
  Progress progress(std::accumulate(shares.running.begin(), shares.running.end(), 0.0) +
                    static_cast<double>(count) * shares.measuring);
  for (std::size_t i = 0; i < count && !stopped; ++i) {
    try {
      progress.expect(shares.running[i]);
      Trial t = run_trial(chains[i], in, *engine);
      progress.add(shares.running[i]);
      progress.expect(shares.measuring);
      measure(t, truth ? &*truth : nullptr);
      progress.add(shares.measuring);
      trials.push_back(std::move(t));
    } catch (const Canceled&) {
      stopped = true;
    }
  }
  if (trials.empty()) throw Canceled();
  best = ranked ? best_of(trials, figure) : -1;
}

ordered_json Contest::json(std::size_t i) const {
  const Trial& t = trials[i];
  ordered_json j = {{"chain", t.name}, {"seconds", t.seconds}};
  if (t.against) add_figures(j, *t.against);
  j["noise"] = t.noise;
  j["sharpness"] = t.sharpness;
  j["best"] = is_best(i);
  return j;
}

std::string Contest::csv(std::size_t i) const {
  const Trial& t = trials[i];
  const auto figures =
      t.against ? fmt::format("{},{},{},{}", t.against->psnr, t.against->ssim, t.against->mse, t.against->mae)
                : std::string(",,,");
  return fmt::format("{},{},{},{},{}", figures, t.noise, t.sharpness, t.seconds, is_best(i));
}

std::vector<std::pair<std::string, double>> Contest::figures(std::size_t i) const {
  const Trial& t = trials[i];
  std::vector<std::pair<std::string, double>> all;
  if (t.against)
    all = {{"psnr", t.against->psnr}, {"ssim", t.against->ssim}, {"mse", t.against->mse}, {"mae", t.against->mae}};
  all.insert(all.end(), {{"noise", t.noise}, {"sharpness", t.sharpness}, {"seconds", t.seconds}});
  return all;
}

void require_same_size(const Image& result, const std::string& what, const Image& truth,
                       const std::string& truth_file) {
  if (result.width() != truth.width() || result.height() != truth.height() ||
      result.shape().color_channels() != truth.shape().color_channels()) {
    throw InvalidArgument(fmt::format("{} is {}, {} is {}: both need one size and the same color channels", what,
                                      text_of(result.shape()).text, truth_file, text_of(truth.shape()).text));
  }
}

ordered_json finite_or_null(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(nullptr); }

void add_figures(ordered_json& j, const Comparison& c) {
  j["mse"] = finite_or_null(c.mse);
  j["mae"] = finite_or_null(c.mae);
  j["psnr"] = finite_or_null(c.psnr);
  j["peak"] = c.peak;
  j["ssim"] = finite_or_null(c.ssim);
  j["maximum_deviation"] = c.maximum_deviation;
  j["at"] = {{"x", c.x}, {"y", c.y}, {"channel", c.channel}};
  j["changed"] = c.changed;
  j["identical"] = c.changed == 0 && c.not_finite == 0;
  j["not_finite"] = c.not_finite;
}

ordered_json steps_json(const Chain& chain, const Report& report) {
  ordered_json steps = ordered_json::array();
  for (std::size_t i = 0; i < report.steps.size(); ++i) {
    const StepReport& s = report.steps[i];
    steps.push_back({{"step", chain.steps()[i].text()},
                     {"meaning", s.meaning},
                     {"seconds", s.seconds},
                     {"width", s.shape.width},
                     {"height", s.shape.height},
                     {"minimum", s.figures.low},
                     {"maximum", s.figures.high},
                     {"outside", s.figures.below + s.figures.above},
                     {"notes", s.notes}});
  }
  return steps;
}

std::string psnr_text(double psnr) { return std::isinf(psnr) ? "identical" : fmt::format("{:.2f} dB", psnr); }

Figure figure_of(const std::string& name, bool truth) {
  static constexpr Figure all[] = {{"psnr", true, true}, {"ssim", true, true},    {"mse", true, false},
                                   {"mae", true, false}, {"noise", false, false}, {"sharpness", false, true}};
  for (const Figure& f : all) {
    if (name != f.name) continue;
    if (f.needs_truth && !truth)
      throw InvalidArgument(
          fmt::format("--by {} needs a truth: give --truth CLEAN, or rank by noise or sharpness", name));
    return f;
  }
  throw InvalidArgument(fmt::format("--by {}: known are psnr, ssim, mse, mae (with --truth), noise, sharpness", name));
}

double value_of(const Trial& t, const Figure& f) {
  const std::string name = f.name;
  if (name == "noise") return t.noise;
  if (name == "sharpness") return t.sharpness;
  if (!t.against) return std::nan("");
  return name == "psnr"   ? t.against->psnr
         : name == "ssim" ? t.against->ssim
         : name == "mse"  ? t.against->mse
                          : t.against->mae;
}

int best_of(const std::vector<Trial>& trials, const Figure& f) {
  int best = -1;
  for (std::size_t i = 0; i < trials.size(); ++i) {
    const double v = value_of(trials[i], f);
    if (std::isnan(v)) continue;
    const double b = best < 0 ? 0 : value_of(trials[static_cast<std::size_t>(best)], f);
    if (best < 0 || (f.larger_is_better ? v > b : v < b)) best = static_cast<int>(i);
  }
  return best;
}

}  // namespace sieve::internal::cli
