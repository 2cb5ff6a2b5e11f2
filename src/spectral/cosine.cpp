#include "sieve/spectral/cosine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

#include "core/finite.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "spatial/lanes.hpp"
#include "spectral/block_lanes.hpp"
#include "spectral/plane.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, CosineTruncation::Which>> ChoiceNames<CosineTruncation::Which>::all() {
  static constexpr std::pair<const char*, CosineTruncation::Which> names[] = {
      {"corner", CosineTruncation::Which::corner}, {"largest", CosineTruncation::Which::largest}};
  return names;
}

namespace {

// Row k of the matrix holds the weights of coefficient k (forward), or of sample k (back).
std::vector<float> matrix(int n, bool forward) {
  std::vector<float> m(static_cast<std::size_t>(n) * static_cast<std::size_t>(n));
  for (int u = 0; u < n; ++u) {
    for (int x = 0; x < n; ++x) {
      const double v = std::sqrt((u == 0 ? 1.0 : 2.0) / n) * std::cos(std::numbers::pi * (2 * x + 1) * u / (2.0 * n));
      m[static_cast<std::size_t>(forward ? u * n + x : x * n + u)] = static_cast<float>(v);
    }
  }
  return m;
}

void along(const float* in, float* out, int n, const std::vector<float>& m) {
  for (int k = 0; k < n; ++k)
    out[k] = lanes::dot(m.data() + static_cast<std::ptrdiff_t>(k) * n, in, static_cast<std::size_t>(n));
}

void blocks(const ConstView& in, int block, bool forward, const View& out) {
  const int w = in.width(), h = in.height(), rest_w = w % block, rest_h = h % block;
  const std::vector<float> full = matrix(block, forward), right = rest_w > 0 ? matrix(rest_w, forward) : full,
                           low = rest_h > 0 ? matrix(rest_h, forward) : full;
  parallel_rows((h + block - 1) / block, RowCost(static_cast<std::size_t>(w) * static_cast<std::size_t>(block), 2),
                [&](int first, int last) {
                  Image strip(w, block);
                  std::vector<const float*> sources;
                  std::vector<float*> targets;
                  for (int b = first; b < last; ++b) {
                    const int y0 = b * block, rows = std::min(block, h - y0);
                    for (int y = 0; y < rows; ++y) {
                      const float* a = in.row(y0 + y);
                      float* r = strip.row(y);
                      if (block == 8) {
                        lanes::cosine8_along(a, r, static_cast<std::size_t>(w / 8), forward);
                      } else {
                        for (int x = 0; x + block <= w; x += block) along(a + x, r + x, block, full);
                      }
                      if (rest_w > 0) along(a + w - rest_w, r + w - rest_w, rest_w, right);
                    }
                    sources.clear();
                    targets.clear();
                    for (int y = 0; y < rows; ++y) {
                      sources.push_back(strip.row(y));
                      targets.push_back(out.row(y0 + y));
                    }
                    if (rows == 8 && block == 8) {
                      lanes::cosine8_down(sources.data(), targets.data(), static_cast<std::size_t>(w), forward);
                      continue;
                    }
                    const std::vector<float>& m = rows == block ? full : low;
                    for (int k = 0; k < rows; ++k)
                      lanes::weighted_sum(sources.data(), m.data() + static_cast<std::ptrdiff_t>(k) * rows,
                                          sources.size(), targets[static_cast<std::size_t>(k)],
                                          static_cast<std::size_t>(w), false);
                  }
                },
                block <= 32 ? 0 : 1);
}

void transform(const ConstView& in, int block, bool forward, const View& out) {
  require_input(in, "cosine transform");
  require_output(in, out, in.shape, "cosine transform");
  if (block < 0 || block > 4096)
    throw InvalidArgument(fmt::format("cosine transform: block={}: give 1 to 4096, or 0 for the whole picture", block));
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    checkpoint();
    if (block > 0) {
      blocks(in.channel(c), block, forward, out.channel(c));
    } else {
      forward ? forward_cosine(in.channel(c), out.channel(c)) : inverse_cosine(in.channel(c), out.channel(c));
    }
  }
  copy_alpha(in, out);
}

// Zeroes what is not kept in one block.
void keep_block(const View& b, int side, CosineTruncation::Which which) {
  const auto count = static_cast<std::size_t>(side) * static_cast<std::size_t>(side), all = b.shape.pixels();
  if (which == CosineTruncation::Which::corner) {
    for (int y = 0; y < b.height(); ++y) {
      const int from = y < side ? std::min(side, b.width()) : 0;
      std::fill(b.row(y) + from, b.row(y) + b.width(), 0.0F);
    }
    return;
  }
  if (count >= all) return;
  std::vector<float> sizes;
  for (int y = 0; y < b.height(); ++y) {
    for (int x = 0; x < b.width(); ++x) sizes.push_back(std::fabs(b.at(x, y)));
  }
  const auto cut = sizes.begin() + static_cast<std::ptrdiff_t>(count - 1);
  std::nth_element(sizes.begin(), cut, sizes.end(), std::greater<>());
  const float least = *cut;
  // Of equals at the limit only so many as fit.
  auto equals = count - static_cast<std::size_t>(
                            std::count_if(sizes.begin(), sizes.end(), [least](float v) { return v > least; }));
  for (int y = 0; y < b.height(); ++y) {
    for (int x = 0; x < b.width(); ++x) {
      const float v = std::fabs(b.at(x, y));
      if (v > least) continue;
      if (v == least && equals > 0) {
        --equals;
      } else {
        b.at(x, y) = 0;
      }
    }
  }
}

void keep(const View& coefficients, const CosineTruncation& f) {
  const int w = coefficients.width(), h = coefficients.height(), bw = f.block == 0 ? w : f.block,
            bh = f.block == 0 ? h : f.block;
  for (int c = 0; c < coefficients.shape.color_channels(); ++c) {
    parallel_rows(
        (h + bh - 1) / bh, static_cast<std::size_t>(w) * static_cast<std::size_t>(bh), [&](int first, int last) {
          for (int b = first; b < last; ++b) {
            for (int x = 0; x < w; x += bw)
              keep_block(coefficients.channel(c).part({x, b * bh, std::min(bw, w - x), std::min(bh, h - b * bh)}),
                         f.side, f.which);
          }
        });
  }
}

}  // namespace

Image cosine_forward(const ConstView& in, int block) {
  require_input(in, "cosine_forward");
  Image out(in.shape);
  transform(in, block, true, out.view());
  return out;
}
void cosine_forward(const ConstView& in, int block, const View& out) { transform(in, block, true, out); }
Image cosine_inverse(const ConstView& in, int block) {
  require_input(in, "cosine_inverse");
  Image out(in.shape);
  transform(in, block, false, out.view());
  return out;
}
void cosine_inverse(const ConstView& in, int block, const View& out) { transform(in, block, false, out); }

Image coefficient_image(const ConstView& in) {
  const Image logs = map_samples(in, [](float v) { return std::log1p(255 * std::fabs(v)); });
  float most = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x)
        most = std::isfinite(logs.at(x, y, c)) ? std::max(most, logs.at(x, y, c)) : most;
    }
  }
  return map_samples(logs, [most](float v) { return most > 0 ? v / most : 0; });
}

Image CosineTruncation::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void CosineTruncation::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    Image c = cosine_forward(finite, block);
    keep(c.view(), *this);
    cosine_inverse(c, block, result);
  });
  const std::size_t across = block == 0 ? 1 : static_cast<std::size_t>((in.width() + block - 1) / block),
                    down = block == 0 ? 1 : static_cast<std::size_t>((in.height() + block - 1) / block);
  const double share =
      std::min(1.0, static_cast<double>(across * down) * side * side / static_cast<double>(in.shape.pixels()));
  note(fmt::format("{:.2f} % of the coefficients kept, by count", 100 * share));
}
static std::vector<Stage> stages_of_cosine_truncation(const CosineTruncation& f, const ConstView& in) {
  Image c = cosine_forward(map_samples(in, [](float v) { return std::isfinite(v) ? v : 0; }), f.block);
  std::vector<Stage> stages;
  stages.push_back({"log of the coefficients", coefficient_image(c)});
  keep(c.view(), f);
  stages.push_back({"log of those kept", coefficient_image(c)});
  if (f.block == 0) {
    const int w = std::min(f.side, in.width()), h = std::min(f.side, in.height());
    stages.push_back(
        {"as many samples of the picture", Image(in.part({(in.width() - w) / 2, (in.height() - h) / 2, w, h}))});
  }
  return stages;
}
void CosineTruncation::describe(Description<CosineTruncation>& d) {
  d.called("cosine_truncation", "frequency",
           "Keeps k x k coefficients of the cosine transform: what a coder saves, without its rounding.");
  d.also({"DCT", "compress", "JPEG"});
  d.wrong("you want a smaller file: nothing is smaller here until it is coded.");
  d.meaning([](const CosineTruncation& f) {
    return fmt::format("{} coefficients of every {}", static_cast<long long>(f.side) * f.side,
                       f.block == 0 ? "picture" : fmt::format("block {0}x{0}", f.block));
  });
  d.stages(stages_of_cosine_truncation);
  d.field("side", &CosineTruncation::side, "coefficients", "k: of k x k coefficients kept a block", {1, 65535});
  d.field("which", &CosineTruncation::which, "", "the slowest, or the largest");
  d.field("block", &CosineTruncation::block, "pixels", "side of the blocks; 0: the whole picture", {0, 4096});
}

}  // namespace sieve
