#pragma once
// What `look` shows of a picture's transforms.

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "cli/exhibit.hpp"
#include "sieve/spectral.hpp"
#include "sieve/wavelet.hpp"

namespace sieve::internal::cli {

struct TransformsWanted {
  bool spectrum = false;
  Taper taper = Taper::none;
  std::vector<std::pair<int, int>> probes;  // places in the centered picture of the spectrum
  std::optional<int> cosine;                // the side of the blocks, 0 for the whole picture
  std::optional<Wavelet> wavelet;
  int levels = 4;
  bool singular = false;
  bool any() const { return spectrum || cosine || wavelet || singular; }
};

// Prints, or adds to the JSON, or to what is shown, what is wanted.
void print_transforms(const Image& image, const TransformsWanted& w);
nlohmann::ordered_json transforms_json(const Image& image, const TransformsWanted& w);
void add_transforms(Exhibit& exhibit, const Image& image, const TransformsWanted& w);

}  // namespace sieve::internal::cli
