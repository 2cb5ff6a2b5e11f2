#include "sieve/illumination/flat_field.hpp"

#include <fmt/format.h>

#include <atomic>
#include <cmath>

#include "illumination/tell_flatness.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

namespace {

void check_frame(const ConstView& in, const Image& frame, const char* what) {
  const int channels = frame.shape().color_channels();
  if (frame.width() != in.width() || frame.height() != in.height() ||
      (channels != 1 && channels != in.shape.color_channels())) {
    throw InvalidArgument(fmt::format(
        "flat_field: the {} frame is {} and the picture {}: give one of the same size, gray or with the same channels",
        what, text_of(frame.shape()).text, text_of(in.shape).text));
  }
}

ConstView plane(const Image& frame, int channel) {
  return frame.view().channel(frame.shape().color_channels() == 1 ? 0 : channel);
}

}  // namespace

Image FlatField::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void FlatField::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Image& flat = with.image("flat_field", "with");
  check_frame(in, flat, "flat");
  if (!dark.empty()) check_frame(in, dark.image("flat_field", "dark"), "dark");
  const auto w = static_cast<std::size_t>(in.width());
  std::atomic<std::size_t> held{0};
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView light = plane(flat, c);
    const auto shadow = [&](int x, int y) {
      return dark.empty() ? 0.0F : plane(dark.image("flat_field", "dark"), c).at(x, y);
    };
    std::vector<double> sums(static_cast<std::size_t>(in.height()));
    std::vector<std::size_t> counts(sums.size());
    parallel_rows(in.height(), w, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        for (int x = 0; x < in.width(); ++x) {
          const float d = light.at(x, y) - shadow(x, y);
          if (!std::isfinite(d)) continue;
          sums[static_cast<std::size_t>(y)] += static_cast<double>(d);
          ++counts[static_cast<std::size_t>(y)];
        }
      }
    });
    double sum = 0, count = 0;
    for (std::size_t y = 0; y < sums.size(); ++y) {
      sum += sums[y];
      count += static_cast<double>(counts[y]);
    }
    const double mean = count > 0 ? sum / count : 0;
    if (!(mean > 0))
      throw InvalidArgument(fmt::format(
          "flat_field: the flat is {:.3g} above the dark frame on average: it must be brighter than that", mean));
    const auto floor = static_cast<float>(static_cast<double>(least) * mean), level = static_cast<float>(mean);
    parallel_rows(in.height(), w, [&](int first, int last) {
      std::size_t here = 0;
      for (int y = first; y < last; ++y) {
        for (int x = 0; x < in.width(); ++x) {
          const float s = shadow(x, y), d = light.at(x, y) - s, v = in.at(x, y, c);
          if (!std::isfinite(d)) {
            out.at(x, y, c) = v;
            ++here;
            continue;
          }
          here += d < floor;
          out.at(x, y, c) = (v - s) * (level / (d < floor ? floor : d));
        }
      }
      held += here;
    });
  }
  copy_alpha(in, out);
  if (held > 0)
    note(fmt::format("{} near zero and held at {:g} of its mean",
                     counted(held.load(), "sample of the flat was", "samples of the flat were"), least));
  tell_flatness(in, out);
}
void FlatField::describe(Description<FlatField>& d) {
  d.called("flat_field", "illumination",
           "Divides by a picture of an evenly lit, empty scene: takes out vignetting, dust and uneven lamps.");
  d.also({"shading correction", "vignetting", "dust", "calibration", "dark frame"});
  d.wrong(
      "no flat was taken with the same optics: take flatten, which guesses the light; the samples are not linear: "
      "linearize both first.");
  d.field("with", &FlatField::with, "", "the flat frame: the same size, gray or with the same channels");
  d.field("dark", &FlatField::dark, "", "the dark frame, taken with the shutter closed");
  d.field("least", &FlatField::least, "share of its mean", "smallest divisor", {1e-6, 1});
}

}  // namespace sieve
