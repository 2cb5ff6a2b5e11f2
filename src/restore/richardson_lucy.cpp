#include "sieve/restore/richardson_lucy.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "core/finite.hpp"
#include "core/run.hpp"
#include "restore/deconvolution.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"

namespace sieve {

namespace {

// A sum over all samples in double, row by row, so that threads do not change it.
template <class Term>
double sum_over(const Image& a, const Image& b, Term term) {
  std::vector<double> rows(static_cast<std::size_t>(a.height()));
  parallel_rows(a.height(), static_cast<std::size_t>(a.width()) * 2, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      double s = 0;
      for (int x = 0; x < a.width(); ++x) s += term(static_cast<double>(a.at(x, y)), static_cast<double>(b.at(x, y)));
      rows[static_cast<std::size_t>(y)] = s;
    }
  });
  double s = 0;
  for (const double r : rows) s += r;
  return s;
}

class Solver {
 public:
  Solver(const ConstView& g, const Kernel& psf, Beyond beyond) : frame_(frame_of(g.shape, beyond)), h_(transfer_plane(psf, frame_.width, frame_.height)), g_(g) {}

  // h * u, or h correlated with u. In the frame the picture goes on as its border says.
  Image blurred(const Image& u, bool turned) const {
    Image out(u.shape());
    filter_fourier(u, frame_.width, frame_.height, frame_.border, [&](int x, std::complex<float>* column) {
      for (int v = 0; v < frame_.height; ++v) {
        const std::complex<double> f = h_.row(v)[x];
        column[v] *= std::complex<float>(turned ? std::conj(f) : f);
      }
    }, out.view());
    return out;
  }

  Image step(const Image& u, const Image& blurred_u) const {
    const Image ratio = map_pairs(g_, blurred_u, [](float g, float b) { return b > 1e-9F ? g / b : 0; });
    return map_pairs(u, blurred(ratio, true), [](float a, float b) { return std::max(0.0F, a * b); });
  }

 private:
  Frame frame_;
  HalfPlane<double> h_;
  Image g_;
};

// u / (1 - s div (grad u / |grad u|)).
Image smoothed(const Image& u, float s) {
  const int w = u.width(), h = u.height();
  Image gx(w, h), gy(w, h), out(w, h);
  parallel_rows(h, static_cast<std::size_t>(w) * 4, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int x = 0; x < w; ++x) {
        const float dx = x + 1 < w ? u.at(x + 1, y) - u.at(x, y) : 0, dy = y + 1 < h ? u.at(x, y + 1) - u.at(x, y) : 0;
        const float size = std::sqrt(dx * dx + dy * dy + 1e-8F);
        gx.at(x, y) = dx / size;
        gy.at(x, y) = dy / size;
      }
    }
  });
  parallel_rows(h, static_cast<std::size_t>(w) * 4, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int x = 0; x < w; ++x) {
        const float divergence = gx.at(x, y) - (x > 0 ? gx.at(x - 1, y) : 0) + gy.at(x, y) - (y > 0 ? gy.at(x, y - 1) : 0);
        out.at(x, y) = u.at(x, y) / std::max(0.1F, 1 - s * divergence);
      }
    }
  });
  return out;
}

struct Ended {
  int iterations = 0;
  double residual = 0;
};

Image solve(const ConstView& channel, const RichardsonLucy& f, double noise, Ended& ended) {
  const Image g = map_samples(channel, [](float v) { return std::max(0.0F, v); });
  const Solver solver(g, f.psf, f.beyond);
  Image u = g, before = g, change, change_before;
  Progress progress(f.iterations);
  for (int i = 0; i < f.iterations; ++i) {
    checkpoint();
    // The point that the step starts from: the last result, or beyond it.
    Image start = u;
    if (f.accelerate && i >= 2) {
      const double product = sum_over(change, change_before, [](double a, double b) { return a * b; }), size = sum_over(change_before, change_before, [](double a, double b) { return a * b; });
      const auto alpha = static_cast<float>(std::clamp(size > 0 ? product / size : 0.0, 0.0, 0.98));
      start = map_pairs(u, before, [alpha](float now, float then) { return std::max(0.0F, now + alpha * (now - then)); });
    }
    const Image b = solver.blurred(start, false);
    ended.residual = std::sqrt(sum_over(g, b, [](double p, double q) { return (p - q) * (p - q); }) / static_cast<double>(g.shape().pixels()));
    if (noise > 0 && ended.residual <= noise) {
      u = std::move(start);
      break;
    }
    Image next = solver.step(start, b);
    if (f.smoothness > 0) next = smoothed(next, f.smoothness);
    change_before = std::move(change);
    change = map_pairs(next, start, [](float a, float p) { return a - p; });
    before = std::exchange(u, std::move(next));
    ended.iterations = i + 1;
    progress.add(1);
  }
  return u;
}

}  // namespace

Image RichardsonLucy::operator()(const ConstView& in) const { return made(*this, in); }
void RichardsonLucy::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  checked_psf(psf, "richardson_lucy");
  tell_of_mirrors(psf, beyond);
  const double s = noise ? static_cast<double>(*noise) : noise_level(in);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    Progress progress(in.shape.color_channels());
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      Ended ended;
      copy(solve(finite.channel(c), *this, s, ended), result.channel(c));
      note(fmt::format("channel {}: {} iterations, residual {:.5f}{}", c + 1, ended.iterations, ended.residual, s > 0 ? fmt::format(", noise {:.5f}{}", s, noise ? "" : " (estimated)") : ""));
      progress.add(1);
    }
  });
  copy_alpha(in, out);
}
std::string RichardsonLucy::meaning() const { return fmt::format("PSF {}x{}, scaled to sum 1", psf.width(), psf.height()); }
void RichardsonLucy::describe(Description<RichardsonLucy>& d) {
  d.called("richardson_lucy", "restore", "The likeliest picture under photon noise, by multiplication, never negative.");
  d.wrong("the background lies below 0 (a signed picture), or time is short: wiener needs one step.");
  d.field("psf", &RichardsonLucy::psf, "", "gaussian:sigma=, disk:radius=, motion:length=,angle=, airy:radius=, any kernel, or @FILE");
  d.field("iterations", &RichardsonLucy::iterations, "", "at most", {1, 10000});
  d.field("accelerate", &RichardsonLucy::accelerate, "", "steps beyond each result");
  d.field("smoothness", &RichardsonLucy::smoothness, "", "of a total-variation term", {0, 0.1});
  d.field("noise", &RichardsonLucy::noise, "0..1 scale", "deviation of the residual to stop at; 0: never", {0, 1});
  d.field("beyond", &RichardsonLucy::beyond, "", "how the blurred picture goes on beyond its border");
}

}  // namespace sieve
