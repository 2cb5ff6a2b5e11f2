#include "sieve/spatial/convolve.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "fft/fft.hpp"
#include "run/validate.hpp"
#include "sieve/spatial/frame.hpp"
#include "spatial/correlation.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr std::pair<const char*, ConvolutionMethod> kMethods[] = {{"automatic", ConvolutionMethod::automatic},
                                                                  {"direct", ConvolutionMethod::direct},
                                                                  {"separable", ConvolutionMethod::separable},
                                                                  {"fourier", ConvolutionMethod::fourier}};

template <class F>
Shape shape_of(const F& f, const Shape& in) {
  const Kernel& k = f.kernel;
  if (f.border == Border::inside && (k.width() > in.width || k.height() > in.height)) {
    throw InvalidArgument(fmt::format("{}: a kernel of {}x{} does not fit inside a picture of {}; take another border",
                                      description_of<F>().name, k.width(), k.height(), text_of(in).text));
  }
  return {result_size(in.width, k.width(), f.border, f.stride), result_size(in.height, k.height(), f.border, f.stride),
          in.channels};
}

// A transform of the tile costs as much as about 9 taps for each doubling of its area, measured on 8-megapixel
// pictures.
constexpr double kTapsPerDoubling = 9;

// The taps of a result by the way that costs less: all at once, or in two passes where the kernel is separable.
struct DirectCost {
  double taps, passes;
};
DirectCost direct_cost(const Taps& kernel) {
  return {
      static_cast<double>(std::count_if(kernel.taps().begin(), kernel.taps().end(), [](double t) { return t != 0; })),
      kernel.width() > 1 && kernel.height() > 1 && separated(kernel) ? kernel.width() + kernel.height() + 4.0
                                                                     : std::numeric_limits<double>::infinity()};
}

ConvolutionMethod method_for(const Taps& kernel, const Shape& in) {
  // The tile of a transform is larger than what it yields.
  const auto side = [](int n, int k) {
    const int fft = good_fft_size(std::min(n + k - 1, std::max(512, 4 * k)));
    const int tile = fft - k + 1, tiles = (n + tile - 1) / tile;
    return std::pair(static_cast<double>(fft), static_cast<double>(tiles) * fft / n);
  };
  const auto [fw, waste_x] = side(std::max(in.width, 1), kernel.width());
  const auto [fh, waste_y] = side(std::max(in.height, 1), kernel.height());
  const double fourier = waste_x * waste_y * kTapsPerDoubling * std::log2(fw * fh);
  const auto [taps, passes] = direct_cost(kernel);
  if (passes <= taps && passes <= fourier) return ConvolutionMethod::separable;
  return taps <= fourier ? ConvolutionMethod::direct : ConvolutionMethod::fourier;
}

// Both filters: correlation with the kernel as given here.
template <class F>
void run(const F& f, const Taps& kernel, const ConstView& in, const View& out) {
  validate(f, in, out);
  if (f.border == Border::full) {
    // All that the kernel touches is where it fits inside a picture with a wide enough black rim.
    const int across = kernel.width() - 1, down = kernel.height() - 1;
    F inside = f;
    inside.border = Border::inside;
    return run(inside, kernel,
               Pad{.left = across, .right = across, .top = down, .bottom = down, .border = Border::zero}(in), out);
  }
  correlate(description_of<F>().name.c_str(), kernel, f.border, f.fill, f.stride, f.method, in, out);
}

// True where some shape of picture may be filtered by transforms, whose roundings depend on that shape: a tile is at
// least as large as the kernel.
bool maybe_fourier(const Kernel& kernel) {
  const DirectCost direct = direct_cost(Taps(kernel, false));
  return std::min(direct.taps, direct.passes) >
         kTapsPerDoubling * std::log2(static_cast<double>(kernel.width()) * kernel.height());
}

template <class F>
void describe_kernel(Description<F>& d) {
  d.window([](const F& f) {
    const Kernel& k = f.kernel;
    return std::max({k.anchor_x(), k.anchor_y(), k.width() - 1 - k.anchor_x(), k.height() - 1 - k.anchor_y()});
  });
  d.shape(shape_of<F>);
  d.undivided([](const F& f) {
    return f.method == ConvolutionMethod::fourier ||
           (f.method == ConvolutionMethod::automatic && maybe_fourier(f.kernel));
  });
  d.reads_around();
  // A kernel of another sum than 1 is a derivative, or not normalized yet.
  d.float_result([](const F& f) { return std::abs(f.kernel.sum() - 1) > 1e-6; });
  d.meaning([](const F& f) {
    return fmt::format("kernel {}x{}, sum {:.6g}", f.kernel.width(), f.kernel.height(), f.kernel.sum());
  });
  d.field("kernel", &F::kernel, "", "a name, rows like 0,1,0/1,-4,1/0,1,0, or @FILE");
  std::vector<Border> borders = window_borders();
  borders.insert(borders.end(), {Border::inside, Border::full});
  d.border(&F::border, &F::fill, std::move(borders),
           "what lies beyond the picture; inside keeps the places where the kernel fits, full all that it touches");
  d.field("stride", &F::stride, "pixels", "keep every stride-th result of each row and column", {1, 1e6});
  d.field("method", &F::method, "", "how it is computed; all ways agree to rounding");
}

}  // namespace

void internal::correlate(const char* who, const Taps& kernel, Border border, Real fill, int stride,
                         ConvolutionMethod method, const ConstView& in, const View& out) {
  const Correlation c{kernel, border, fill, stride};
  const auto factors = separated(kernel);
  if (method == ConvolutionMethod::automatic) method = method_for(kernel, in.shape);
  if (method == ConvolutionMethod::separable && !factors) {
    throw InvalidArgument(std::string(who) +
                          ": this kernel is not separable (no product of a column and a row); take method=automatic");
  }
  for (int channel = 0; channel < in.shape.color_channels(); ++channel) {
    const ConstView from = in.channel(channel);
    const View to = out.channel(channel);
    if (method == ConvolutionMethod::separable) {
      SeparablePasses p{{}, {}, kernel.anchor_x(), kernel.anchor_y()};
      for (const double v : factors->row) p.row.push_back(static_cast<float>(v));
      for (const double v : factors->column) p.column.push_back(static_cast<float>(v));
      correlate_separable(from, p, border, fill, stride, to);
    } else if (method == ConvolutionMethod::fourier) {
      correlate_fourier(from, c, to);
    } else {
      correlate_direct(from, c, to);
    }
  }
  sample_alpha(in, c, out);
}

std::span<const std::pair<const char*, ConvolutionMethod>> ChoiceNames<ConvolutionMethod>::all() { return kMethods; }

ConvolutionMethod chosen_method(const Kernel& kernel, const Shape& in) { return method_for(Taps(kernel, false), in); }

Image Convolve::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Convolve::operator()(const ConstView& in, const View& out) const { run(*this, Taps(kernel, true), in, out); }
void Convolve::describe(Description<Convolve>& d) {
  d.called("convolve", "spatial", "Weighted sum of each neighborhood, the kernel turned by 180 degrees.");
  d.also({"kernel", "FIR", "mask"});
  d.wrong(
      "impulses (salt and pepper) are only smeared by any linear kernel: take a rank filter; a kernel whose sum is "
      "not 1 brightens or darkens.");
  describe_kernel(d);
}

Image Correlate::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Correlate::operator()(const ConstView& in, const View& out) const { run(*this, Taps(kernel, false), in, out); }
void Correlate::describe(Description<Correlate>& d) {
  d.called("correlate", "spatial",
           "Weighted sum of each neighborhood, the kernel as it is written (template matching, derivatives).");
  d.also({"template", "cross-correlation", "match"});
  d.wrong("you want a convolution with a kernel that is not the same after half a turn: correlate does not turn it.");
  describe_kernel(d);
}

}  // namespace sieve
