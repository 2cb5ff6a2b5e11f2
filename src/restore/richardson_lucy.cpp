#include "sieve/restore/richardson_lucy.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>
#include <vector>

#include "core/finite.hpp"
#include "core/luma.hpp"
#include "restore/linear_run.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kLanes = 8;

// Sums over all samples, in double and row by row, so that threads do not change them. term(x, y, sums) adds in lanes.
template <std::size_t N, class Row>
std::array<double, N> sum_rows(const Shape& s, Row row) {
  std::vector<std::array<double, N>> rows(static_cast<std::size_t>(s.height));
  parallel_rows(s.height, RowCost(s.width, 2), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      std::array<std::array<double, kLanes>, N> lanes{};
      row(y, lanes);
      for (std::size_t k = 0; k < N; ++k) {
        for (const double v : lanes[k]) rows[static_cast<std::size_t>(y)][k] += v;
      }
    }
  });
  std::array<double, N> all{};
  for (const auto& r : rows) {
    for (std::size_t k = 0; k < N; ++k) all[k] += r[k];
  }
  return all;
}

// work(x, lane) along a row, in steps that a compiler can make vectors of.
template <class Work>
void in_lanes(int n, Work work) {
  int x = 0;
  for (; x + kLanes <= n; x += kLanes) {
    for (int i = 0; i < kLanes; ++i) work(x + i, i);
  }
  for (; x < n; ++x) work(x, 0);
}

double square(float a) { return static_cast<double>(a) * static_cast<double>(a); }

// u / (1 - s div (grad u / |grad u|)).
Image smoothed(const Image& u, float s) {
  const int w = u.width(), h = u.height();
  Image gx(w, h), gy(w, h), out(w, h);
  parallel_rows(h, RowCost(w, 4), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float *r = u.row(y), *under = u.row(std::min(y + 1, h - 1));
      float *px = gx.row(y), *py = gy.row(y);
      for (int x = 0; x < w; ++x) {
        const float dx = x + 1 < w ? r[x + 1] - r[x] : 0, dy = under[x] - r[x],
                    size = std::sqrt(dx * dx + dy * dy + 1e-8F);
        px[x] = dx / size;
        py[x] = dy / size;
      }
    }
  });
  parallel_rows(h, RowCost(w, 4), [&](int first, int last) {
    const std::vector<float> nothing(static_cast<std::size_t>(w));
    for (int y = first; y < last; ++y) {
      const float *r = u.row(y), *px = gx.row(y), *py = gy.row(y), *over = y > 0 ? gy.row(y - 1) : nothing.data();
      float* to = out.row(y);
      for (int x = 0; x < w; ++x)
        to[x] = r[x] / std::max(0.1F, 1 - s * (px[x] - (x > 0 ? px[x - 1] : 0) + py[x] - over[x]));
    }
  });
  return out;
}

struct Ended {
  int iterations = 0;
  double residual = 0;
  std::vector<double> history;  // the residual before each iteration
};

float smoothness_of(const RichardsonLucy& f, double noise) {
  return f.smoothness ? *f.smoothness : std::min(0.02F, 0.3F * static_cast<float>(noise));
}

Image solve(const ConstView& channel, const RichardsonLucy& f, double noise, Ended& ended) {
  const float smoothness = smoothness_of(f, noise);
  const Image g = map_samples(channel, [](float v) { return std::max(0.0F, v); });
  const Shape shape = g.shape();
  const Blurring blurring(transfer_of(f.psf, shape, f.border));
  // u: the last result; start: where the step begins, beyond it when accelerated; change: the last two steps.
  Image u = g, before = g, start = g, change(shape), change_before(shape), blurred(shape);
  double product = 0, size = 0;
  Progress progress(f.iterations);
  for (int i = 0; i < f.iterations; ++i) {
    checkpoint();
    const auto alpha =
        static_cast<float>(f.accelerate && i >= 2 && size > 0 ? std::clamp(product / size, 0.0, 0.98) : 0.0);
    parallel_rows(shape.height, shape.width, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float *now = u.row(y), *then = before.row(y);
        float* s = start.row(y);
        for (int x = 0; x < shape.width; ++x) s[x] = std::max(0.0F, now[x] + alpha * (now[x] - then[x]));
      }
    });
    blurring.blur(start, blurred.view());
    // The residual, and in its place the ratio.
    const double sum = sum_rows<1>(shape, [&](int y, auto& sums) {
      const float* gr = g.row(y);
      float* b = blurred.row(y);
      in_lanes(shape.width, [&](int x, int lane) {
        const float rest = gr[x] - b[x];
        sums[0][static_cast<std::size_t>(lane)] += square(rest);
        b[x] = b[x] > 1e-9F ? gr[x] / b[x] : 0;
      });
    })[0];
    ended.residual = std::sqrt(sum / static_cast<double>(shape.pixels()));
    ended.history.push_back(ended.residual);
    if (noise > 0 && ended.residual <= noise) return start;
    blurring.turned(blurred, blurred.view());
    std::swap(change, change_before);
    std::swap(before, u);
    const auto step = [&](int y, int x) { return std::max(0.0F, start.row(y)[x] * blurred.row(y)[x]); };
    if (smoothness > 0) {
      u = smoothed(map_pairs(start, blurred, [](float a, float b) { return std::max(0.0F, a * b); }), smoothness);
    }
    const auto sums = sum_rows<2>(shape, [&](int y, auto& s) {
      const float *st = start.row(y), *old = change_before.row(y);
      float *r = u.row(y), *c = change.row(y);
      in_lanes(shape.width, [&](int x, int lane) {
        if (smoothness == 0) r[x] = step(y, x);
        c[x] = r[x] - st[x];
        s[0][static_cast<std::size_t>(lane)] += static_cast<double>(c[x]) * static_cast<double>(old[x]);
        s[1][static_cast<std::size_t>(lane)] += square(old[x]);
      });
    });
    product = sums[0], size = sums[1];
    ended.iterations = i + 1;
    progress.add(1);
  }
  return u;
}

}  // namespace

Image RichardsonLucy::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void RichardsonLucy::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  checked_psf(psf, "richardson_lucy");
  tell_of_mirrors(psf, border);
  // A measurement of the noise is little beside the iterations.
  constexpr double kMeasured = 0.02;
  Progress progress(in.shape.color_channels() + kMeasured);
  progress.expect(kMeasured);
  const double s = noise ? static_cast<double>(*noise) : noise_level(in);
  progress.add(kMeasured);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      Ended ended;
      const ConstView channel = finite.channel(c);
      copy(solve(border == Border::taper ? tapered(channel, psf) : Image(channel), *this, s, ended), result.channel(c));
      note(fmt::format("channel {}: {} iterations, residual {:.5f}{}", c + 1, ended.iterations, ended.residual,
                       s > 0 ? fmt::format(", noise {:.5f}{}", s, noise ? "" : " (estimated)") : ""));
      progress.add(1);
    }
  });
  copy_alpha(in, out);
}

static std::vector<Stage> stages_of_richardson_lucy(const RichardsonLucy& f, const ConstView& in) {
  validate(f, in);
  Ended ended;
  solve(finite_luma(in), f, f.noise ? static_cast<double>(*f.noise) : noise_level(in), ended);
  return {iteration_stage(ended.history)};
}

void RichardsonLucy::describe(Description<RichardsonLucy>& d) {
  d.called("richardson_lucy", "restore",
           "The likeliest picture under photon noise, by multiplication, never negative.");
  d.also({"deblur", "deconvolve", "restore", "Poisson", "maximum likelihood"});
  d.wrong("the background lies below 0 (a signed picture), or time is short: wiener needs one step.");
  d.meaning(
      [](const RichardsonLucy& f) { return fmt::format("PSF {}x{}, scaled to sum 1", f.psf.width(), f.psf.height()); });
  d.stages(stages_of_richardson_lucy);
  describe_psf(d);
  d.field("iterations", &RichardsonLucy::iterations, "", "at most", {1, 10000});
  d.field("accelerate", &RichardsonLucy::accelerate, "", "steps beyond each result");
  d.field("smoothness", &RichardsonLucy::smoothness, "", "of a total-variation term; auto: by the noise", {0, 0.1});
  d.field("noise", &RichardsonLucy::noise, "0..1 scale", "deviation of the residual to stop at; 0: never", {0, 1});
  describe_border(d);
}

}  // namespace sieve
