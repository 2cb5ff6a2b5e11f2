#include "sieve/spatial/gradient.hpp"

#include <cmath>

#include "core/context.hpp"
#include "run/validate.hpp"
#include "sieve/spatial/kernel.hpp"
#include "spatial/lanes.hpp"
#include "spatial/row_ring.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr std::pair<const char*, GradientBy> kBy[] = {
    {"sobel", GradientBy::sobel}, {"prewitt", GradientBy::prewitt}, {"scharr", GradientBy::scharr}};

const Kernel& kernel_of(GradientBy by) {
  static const Kernel &sobel = *new Kernel(Kernel::sobel_x()), &prewitt = *new Kernel(Kernel::prewitt_x()),
                      &scharr = *new Kernel(Kernel::scharr_x());
  return by == GradientBy::sobel ? sobel : by == GradientBy::prewitt ? prewitt : scharr;
}

// Hands the two derivatives of every row to `finish(gx, gy, out, n)`.
template <class F, class Finish>
void derivatives(const F& f, const ConstView& in, const View& out, Finish finish) {
  validate(f, in, out);
  // Differences first, then the weights along the edge: where neighbors are equal the result is exactly 0, so that a
  // flat region has no made-up direction.
  const Kernel& k = kernel_of(f.by);
  const float along[] = {static_cast<float>(k.at(2, 0)), static_cast<float>(k.at(2, 1)),
                         static_cast<float>(k.at(2, 2))};
  const float difference[] = {-1, 1};
  const auto n = static_cast<std::size_t>(in.width());
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const auto work = [&](int first, int last) {
      RowRing ring(in.channel(c), 3, 1, 1, f.border, 0);
      Scratch<float> gx(n), gy(n), across(3 * n), smooth(3 * n);
      const auto slot = [&](Scratch<float>& v, int y) { return v.data() + static_cast<std::size_t>((y + 3) % 3) * n; };
      const auto load = [&](int y) {
        ring.load(y);
        const float* row = ring.row(y);
        const float* sides[] = {row, row + 2};
        const float* three[] = {row, row + 1, row + 2};
        lanes::weighted_sum(sides, difference, 2, slot(across, y), n, false);
        lanes::weighted_sum(three, along, 3, slot(smooth, y), n, false);
      };
      load(first - 1);
      load(first);
      for (int y = first; y < last; ++y) {
        load(y + 1);
        const float* rows[] = {slot(across, y - 1), slot(across, y), slot(across, y + 1)};
        const float* sides[] = {slot(smooth, y - 1), slot(smooth, y + 1)};
        lanes::weighted_sum(rows, along, 3, gx.data(), n, false);
        lanes::weighted_sum(sides, difference, 2, gy.data(), n, false);
        finish(gx.data(), gy.data(), out.row(y, c), n);
      }
    };
    parallel_rows(in.height(), n, work, strip_or_all(in.height(), 0));
  }
  copy_alpha(in, out);
}

template <class F>
void describe_gradient(Description<F>& d) {
  d.window([](const F&) { return 1; });
  d.reads_around();
  d.float_result();
  d.wrong("the picture is noisy: the derivative raises the noise; put a gaussian before it.");
  d.field("by", &F::by, "", "which pair of 3x3 kernels; scharr has the truest direction");
  d.border(&F::border);
}

}  // namespace

std::span<const std::pair<const char*, GradientBy>> ChoiceNames<GradientBy>::all() { return kBy; }

Image GradientMagnitude::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void GradientMagnitude::operator()(const ConstView& in, const View& out) const {
  derivatives(*this, in, out, lanes::magnitude);
}
void GradientMagnitude::describe(Description<GradientMagnitude>& d) {
  d.called("gradient_magnitude", "spatial", "How steep the picture is at each place: edges bright, flat regions 0.");
  d.also({"edge", "Sobel", "Prewitt", "Scharr", "derivative"});
  describe_gradient(d);
}

Image GradientDirection::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void GradientDirection::operator()(const ConstView& in, const View& out) const {
  derivatives(*this, in, out, lanes::direction);
}
void GradientDirection::describe(Description<GradientDirection>& d) {
  d.called("gradient_direction", "spatial",
           "Where the picture grows brighter, in radians: 0 to the right, pi/2 downward.");
  d.also({"orientation", "angle", "Sobel"});
  describe_gradient(d);
}

}  // namespace sieve
