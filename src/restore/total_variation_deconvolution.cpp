#include "sieve/restore/total_variation_deconvolution.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

#include "core/finite.hpp"
#include "core/luma.hpp"
#include "core/row_sums.hpp"
#include "restore/beyond.hpp"
#include "restore/linear_run.hpp"
#include "restore/signal_model.hpp"
#include "restore/told_noise.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

namespace {

// Pictures of all channels in the frame that they are solved in.
using Planes = std::vector<Image>;

// What lies right of and below (x, y): nothing beyond a mirror, the other side where the frame repeats.
struct Neighbors {
  bool wraps;
  int width, height;
  int right(int x) const { return x + 1 < width ? x + 1 : wraps ? 0 : x; }
  int below(int y) const { return y + 1 < height ? y + 1 : wraps ? 0 : y; }
};

struct Outcome {
  int iterations = 0;
  double weight = 0, residual = 0;
  std::vector<double> history;
};

class VariationSolver {
 public:
  VariationSolver(Planes g, Transfer2d transfer)
      : g_(std::move(g)),
        shape_(g_[0].shape()),
        transfer_(std::move(transfer)),
        blurring_(transfer_),
        near_{!transfer_.grid.cosine, shape_.width, shape_.height} {
    const double step = transfer_.grid.cosine ? std::numbers::pi : 2 * std::numbers::pi;
    for (int u = 0; u < transfer_.grid.columns; ++u)
      across_.push_back(static_cast<float>(2 - 2 * std::cos(step * u / shape_.width)));
    for (int v = 0; v < transfer_.grid.rows; ++v)
      down_.push_back(static_cast<float>(2 - 2 * std::cos(step * v / shape_.height)));
    for (std::size_t i = 0; i < transfer_.grid.size(); ++i) {
      power_.push_back(static_cast<float>(transfer_.grid.cosine ? transfer_.cosine[i] * transfer_.cosine[i]
                                                                : std::norm(transfer_.fourier[i])));
    }
    for (const Image& channel : g_) {
      Image q(shape_);
      blurring_.turned(channel, q.view());
      back_.push_back(std::move(q));
      for (auto* part : {&bx_, &by_, &dx_, &dy_}) part->emplace_back(shape_);
    }
    u_ = g_;
  }

  // What has about the least error, for noise of that deviation: fitted to fifteen photographs under four blurs.
  double weight_for(double noise) const {
    constexpr double kFactor = 0.18, kPower = -1.1, kLeast = 0.06, kMost = 1;
    double squares = 0;
    for (const Image& channel : g_)
      squares += std::pow(SignalModel(channel, transfer_, noise).expected_error(), 2) / static_cast<double>(g_.size());
    const double over_noise = std::sqrt(squares) / noise;
    // Of channels that are alike the length of the gradient is as the root of their number, the squares as that itself.
    return std::sqrt(static_cast<double>(g_.size())) * noise *
           std::clamp(kFactor * std::pow(std::max(1e-6, over_noise), kPower), kLeast, kMost);
  }

  // Iterates; with `told` each iteration's residual is reckoned, else the last one's.
  Outcome run(const TotalVariationDeconvolution& f, double weight, bool told) {
    Outcome a;
    a.weight = weight;
    Progress progress(f.iterations);
    double deviation = 0;
    for (const Image& c : g_) deviation += statistics(c)[0].deviation / static_cast<double>(g_.size());
    // The penalty of the alternating direction method. It sets how fast the iteration converges, not where to; found by
    // trial.
    const double shrink = 0.5 * std::max(1e-3, deviation);
    for (int i = 0; i < f.iterations; ++i) {
      checkpoint();
      split(static_cast<float>(shrink));
      const double changed = solve(static_cast<float>(weight / shrink));
      a.iterations = i + 1;
      if (told) a.history.push_back(residual());
      progress.add(1);
      if (changed <= static_cast<double>(f.tolerance) * deviation) break;
    }
    a.residual = told ? a.history.back() : residual();
    return a;
  }
  const Planes& result() const { return u_; }

 private:
  // The split variable: the gradient of u plus the running sum of what was cut off, its length reduced by `by`.
  void split(float by) {
    parallel_rows(
        shape_.height, RowCost(static_cast<std::size_t>(shape_.width) * g_.size(), 8), [&](int first, int last) {
          std::vector<float> length(static_cast<std::size_t>(shape_.width));
          for (int y = first; y < last; ++y) {
            std::fill(length.begin(), length.end(), 0.0F);
            const int n = shape_.width;
            for (std::size_t c = 0; c < g_.size(); ++c) {
              const float *u = u_[c].row(y), *under = u_[c].row(near_.below(y));
              float *bx = bx_[c].row(y), *by_row = by_[c].row(y);
              for (int x = 0; x + 1 < n; ++x) bx[x] = bx[x] + u[x + 1] - u[x];
              bx[n - 1] = bx[n - 1] + u[near_.right(n - 1)] - u[n - 1];
              for (int x = 0; x < n; ++x) {
                by_row[x] = by_row[x] + under[x] - u[x];
                length[static_cast<std::size_t>(x)] += bx[x] * bx[x] + by_row[x] * by_row[x];
              }
            }
            for (float& l : length) l = std::max(0.0F, 1 - by / std::sqrt(l + 1e-20F));
            // d is the split variable (the gradients as they shall be), b the running sum of what was cut off; d - b
            // enters the next division.
            for (std::size_t c = 0; c < g_.size(); ++c) {
              float *bx = bx_[c].row(y), *by_row = by_[c].row(y), *dx = dx_[c].row(y), *dy = dy_[c].row(y);
              for (int x = 0; x < n; ++x) {
                const float keep = length[static_cast<std::size_t>(x)], ex = bx[x] * keep, ey = by_row[x] * keep;
                bx[x] -= ex;
                by_row[x] -= ey;
                dx[x] = ex - bx[x];
                dy[x] = ey - by_row[x];
              }
            }
          }
        });
  }

  // u = (h' g + m grad'(d - b)) / (|h|^2 + m |grad|^2); gives the deviation of its change.
  double solve(float m) {
    Image right(shape_), next(shape_);
    double changed = 0;
    for (std::size_t c = 0; c < g_.size(); ++c) {
      parallel_rows(shape_.height, RowCost(shape_.width, 4), [&](int first, int last) {
        for (int y = first; y < last; ++y) {
          // Across a mirror the gradient is 0, so wrapping around reads what is right there too.
          const int n = shape_.width;
          const float *q = back_[c].row(y), *dx = dx_[c].row(y), *dy = dy_[c].row(y),
                      *over = dy_[c].row(y > 0 ? y - 1 : shape_.height - 1);
          float* r = right.row(y);
          r[0] = q[0] + m * (dx[n - 1] - dx[0] + over[0] - dy[0]);
          for (int x = 1; x < n; ++x) r[x] = q[x] + m * (dx[x - 1] - dx[x] + over[x] - dy[x]);
        }
      });
      filter_in_frame(transfer_.grid, right, next.view(), [&](int u, auto* column) {
        const float* p = power_.data() + transfer_.grid.place(u, 0);
        const float a = across_[static_cast<std::size_t>(u)];
        for (int v = 0; v < transfer_.grid.rows; ++v)
          column[v] *= 1 / (p[v] + m * (a + down_[static_cast<std::size_t>(v)]) + 1e-12F);
      });
      changed += std::sqrt(mean_square(next, u_[c])) / static_cast<double>(g_.size());
      std::swap(u_[c], next);
    }
    return changed;
  }

  double residual() {
    Image blurred(shape_);
    double sum = 0;
    for (std::size_t c = 0; c < g_.size(); ++c) {
      blurring_.blur(u_[c], blurred.view());
      sum += mean_square(blurred, g_[c]) / static_cast<double>(g_.size());
    }
    return std::sqrt(sum);
  }

  Planes g_, back_, u_, bx_, by_, dx_, dy_;
  Shape shape_;
  Transfer2d transfer_;
  Blurring blurring_;
  Neighbors near_;
  std::vector<float> across_, down_, power_;
};

Outcome solve_all(const TotalVariationDeconvolution& f, const ConstView& finite, double noise, const View* out) {
  Transfer2d transfer = transfer_of(f.psf, finite.shape, f.border);
  Planes g;
  for (int c = 0; c < finite.shape.color_channels(); ++c) g.push_back(in_frame(finite.channel(c), transfer));
  transfer.repeat();
  VariationSolver solver(std::move(g), std::move(transfer));
  Outcome a = solver.run(f, f.weight ? static_cast<double>(*f.weight) : solver.weight_for(noise), out == nullptr);
  for (int c = 0; out && c < finite.shape.color_channels(); ++c)
    copy(solver.result()[static_cast<std::size_t>(c)].view().part({0, 0, finite.width(), finite.height()}),
         out->channel(c));
  return a;
}

double noise_for(const TotalVariationDeconvolution& f, const ConstView& in) {
  if (f.weight) return 0;
  return std::max(1e-5, noise_of(f.noise, in));
}

}  // namespace

double variation_objective(const ConstView& u, const ConstView& blurred, const ConstView& in, double weight) {
  if (u.shape != in.shape || blurred.shape != in.shape)
    throw InvalidArgument(fmt::format("variation_objective: the pictures are {}, {} and {}: give three of one shape",
                                      text_of(u.shape).text, text_of(blurred.shape).text, text_of(in.shape).text));
  double length = 0, squares = 0;
  for (int y = 0; y < u.height(); ++y) {
    for (int x = 0; x < u.width(); ++x) {
      double l = 0;
      for (int c = 0; c < u.shape.color_channels(); ++c) {
        const double here = static_cast<double>(u.at(x, y, c));
        l += x + 1 < u.width() ? std::pow(static_cast<double>(u.at(x + 1, y, c)) - here, 2) : 0;
        l += y + 1 < u.height() ? std::pow(static_cast<double>(u.at(x, y + 1, c)) - here, 2) : 0;
        squares += std::pow(static_cast<double>(blurred.at(x, y, c)) - static_cast<double>(in.at(x, y, c)), 2);
      }
      length += std::sqrt(l);
    }
  }
  return length + squares / (2 * weight);
}

Image TotalVariationDeconvolution::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void TotalVariationDeconvolution::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  checked_psf(psf, "total_variation_deconvolution");
  tell_of_mirrors(psf, border);
  const double s = noise_for(*this, in);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    const Outcome a = solve_all(*this, finite, s, &result);
    note(fmt::format("weight {:.4g}: {} iterations, residual {:.5f}{}", a.weight, a.iterations, a.residual,
                     s > 0 ? fmt::format(", noise {:.5f}{}", s, noise ? "" : " (estimated)") : ""));
  });
  copy_alpha(in, out);
  tell_of_noise(in, out);
}

static std::vector<Stage> stages_of_total_variation_deconvolution(const TotalVariationDeconvolution& f,
                                                                  const ConstView& in) {
  validate(f, in);
  return {iteration_stage(solve_all(f, finite_luma(in), noise_for(f, in), nullptr).history)};
}

void TotalVariationDeconvolution::describe(Description<TotalVariationDeconvolution>& d) {
  d.called("total_variation_deconvolution", "restore",
           "Even areas and sharp edges that explain the blurred picture within its noise.");
  d.also({"deblur", "deconvolve", "restore", "TV"});
  d.wrong("fine texture matters, or time is short: wiener keeps more of it in one step.");
  describe_psf(d);
  d.meaning(psf_meaning<TotalVariationDeconvolution>);
  d.stages(stages_of_total_variation_deconvolution);
  d.field("weight", &TotalVariationDeconvolution::weight, "", "of the variation: the larger the smoother", {1e-9, 10});
  d.field("noise", &TotalVariationDeconvolution::noise, "0..1 scale",
          "standard deviation of the noise, for weight=auto", {0, 1});
  d.field("tolerance", &TotalVariationDeconvolution::tolerance, "of the picture's deviation",
          "change of an iteration at which to end", {1e-6, 0.1});
  d.field("iterations", &TotalVariationDeconvolution::iterations, "", "at most", {1, 10000});
  describe_border(d);
}

}  // namespace sieve
