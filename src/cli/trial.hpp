#pragma once
// A candidate chain, run and measured.

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "cli/device_use.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

struct Trial {
  std::string name;  // the chain's text
  Image result;
  double seconds = 0;
  std::optional<Comparison> against;  // where there is a truth
  double noise = 0, sharpness = 0;
};

// noise_level(), or NaN for a result in which nothing can be measured: one ruined candidate must not end a comparison.
double measured_noise(const ConstView& result);

// A figure that candidates are ranked by.
struct Figure {
  const char* name;
  bool needs_truth;
  bool larger_is_better;
};
// What lineup and sweep have in common: one input, perhaps a truth, a figure to rank by, and many chains.
struct Contest {
  std::string in_file, truth_file, by;
  Image in;
  std::optional<Image> truth;
  Figure figure;
  bool ranked = false;
  std::vector<Trial> trials;
  int best = -1;
  bool stopped = false;  // by Ctrl-C: what is finished is kept

  ChosenEngine engine;

  // Reads the pictures; InvalidArgument for a figure that needs a truth where there is none.
  Contest(const Session& session, std::string in_path, std::string truth_path, std::string ranked_by,
          const DeviceArguments& device);
  // Runs chain(0) .. chain(count - 1), each on the untouched input. Canceled where not one was finished.
  void run(std::size_t count, const std::function<Chain(std::size_t)>& chain);
  // The figures of a trial, under their names, and as the cells of kCsvHead.
  nlohmann::ordered_json json(std::size_t i) const;
  std::string csv(std::size_t i) const;
  // Those that a page shows and plots.
  std::vector<std::pair<std::string, double>> figures(std::size_t i) const;
  bool is_best(std::size_t i) const { return static_cast<int>(i) == best; }
};
inline constexpr const char* kCsvHead = "psnr,ssim,mse,mae,noise,sharpness,seconds,best";

// InvalidArgument where a truth does not fit a result.
void require_same_size(const Image& result, const std::string& what, const Image& truth, const std::string& truth_file);

// A figure as JSON: infinity (identical pictures) and NaN become null.
nlohmann::ordered_json finite_or_null(double v);

// The figures of a comparison under their names, added to `j`.
void add_figures(nlohmann::ordered_json& j, const Comparison& c);

// What a report tells of the steps of a chain.
nlohmann::ordered_json steps_json(const Chain& chain, const Report& report);

// "31.42 dB", "identical".
std::string psnr_text(double psnr);

// "psnr", "ssim", "mse", "mae", "noise", "sharpness"; InvalidArgument for another name, or one that needs a truth.
Figure figure_of(const std::string& name, bool truth);
double value_of(const Trial& t, const Figure& f);
// The index of the best, -1 where none has a value.
int best_of(const std::vector<Trial>& trials, const Figure& f);

}  // namespace sieve::internal::cli
