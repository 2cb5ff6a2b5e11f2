#pragma once
// A candidate chain, run and measured.

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

#include "session.hpp"

namespace sieve::front {

struct Trial {
  std::string name;  // the chain's text
  Image result;
  double seconds = 0;
  std::optional<Comparison> against;  // where there is a truth
  double noise = 0, sharpness = 0;
};

// Runs a chain on untouched input and measures the result; the truth may be null.
Trial run_trial(const Chain& chain, const ConstView& in, const Image* truth);

// BadCall where a truth does not fit a result.
void require_same_size(const Image& result, const std::string& what, const Image& truth, const std::string& truth_file);

// A figure as JSON: infinity (identical pictures) and NaN become null.
nlohmann::ordered_json finite_or_null(double v);

// The figures of a comparison under their names, added to `j`.
void add_figures(nlohmann::ordered_json& j, const Comparison& c);

// "31.42 dB", "identical".
std::string psnr_text(double psnr);

// A figure that candidates are ranked by.
struct Figure {
  const char* name;
  bool needs_truth;
  bool larger_is_better;
};
// "psnr", "ssim", "mse", "mae", "noise", "sharpness"; BadCall for another name, or one that needs a truth.
Figure figure_of(const std::string& name, bool truth);
double value_of(const Trial& t, const Figure& f);
// The index of the best, -1 where none has a value.
int best_of(const std::vector<Trial>& trials, const Figure& f);

}  // namespace sieve::front
