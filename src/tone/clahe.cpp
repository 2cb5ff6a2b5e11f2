#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/of_thread.hpp"
#include "run/validate.hpp"
#include "tone/clahe_lanes.hpp"
#include "tone/tone_map.hpp"

namespace sieve {

using namespace internal;

namespace {

// Tiles along one side: where each begins, and its center in pixels.
struct Cuts {
  std::vector<int> starts;
  std::vector<float> centers;
  int count() const { return static_cast<int>(centers.size()); }
};
Cuts cuts_of(int length, int wished, std::optional<int> size) {
  const int n = std::clamp(size ? static_cast<int>(std::lround(static_cast<double>(length) / *size)) : wished, 1,
                           std::min(length, 256));
  Cuts c;
  for (int i = 0; i <= n; ++i) c.starts.push_back(static_cast<int>(static_cast<long long>(length) * i / n));
  for (int i = 0; i < n; ++i)
    c.centers.push_back(0.5F * static_cast<float>(c.starts[static_cast<std::size_t>(i)] +
                                                  c.starts[static_cast<std::size_t>(i) + 1] - 1));
  return c;
}

// Where a place lies between two neighboring centers.
struct Between {
  int low, high;
  float share;  // of the higher one
};
Between between(const Cuts& c, int place) {
  const auto p = static_cast<float>(place);
  const auto next = std::upper_bound(c.centers.begin(), c.centers.end(), p);
  if (next == c.centers.begin()) return {0, 0, 0};
  const int low = static_cast<int>(next - c.centers.begin()) - 1;
  if (next == c.centers.end()) return {low, low, 0};
  return {low, low + 1, (p - *(next - 1)) / (*next - *(next - 1))};
}

// Cuts the counts off at the limit and spreads the rest so that every bin below it gains the same: the height `add`
// with sum min(count + add, most) = total is found over the counts in rising order.
void limit_counts(std::vector<double>& counts, double limit) {
  double total = 0;
  for (const double n : counts) total += n;
  const auto bins = static_cast<double>(counts.size());
  const double most = limit * total / bins;
  std::vector<double> sorted = counts;
  std::sort(sorted.rbegin(), sorted.rend());
  if (sorted[0] <= most) return;
  // With the k highest bins at the limit, the others share what is left.
  double below = total, add = 0;
  for (std::size_t k = 0; k < sorted.size(); ++k) {
    if (k > 0) below -= sorted[k - 1];
    const double rest = bins - static_cast<double>(k);
    add = (total - static_cast<double>(k) * most - below) / rest;
    if (sorted[k] + add <= most) break;
  }
  for (double& n : counts) n = std::min(n + add, most);
}

// The maps of all tiles: bins + 1 values each, 0 first and 1 last.
std::vector<float> tile_maps(const ConstView& in, int channel, const Cuts& across, const Cuts& down, int bins,
                             double limit) {
  const std::size_t stride = static_cast<std::size_t>(bins) + 1;
  std::vector<float> maps(static_cast<std::size_t>(across.count() * down.count()) * stride);
  const int tiles = across.count() * down.count();
  parallel_rows(
      tiles, in.shape.pixels() / static_cast<std::size_t>(tiles) + stride,
      [&](int first, int last) {
        for (int t = first; t < last; ++t) {
          const auto i = static_cast<std::size_t>(t % across.count()), j = static_cast<std::size_t>(t / across.count());
          const Rectangle r{across.starts[i], down.starts[j], across.starts[i + 1] - across.starts[i],
                            down.starts[j + 1] - down.starts[j]};
          const Histogram h = histogram(in.part(r), {.channel = channel, .bins = bins, .low = 0, .high = 1});
          std::vector<double> counts(h.counts.begin(), h.counts.end());
          counts.front() += static_cast<double>(h.below);
          counts.back() += static_cast<double>(h.above);
          limit_counts(counts, limit);
          double sum = 0, total = 0;
          for (const double n : counts) total += n;
          float* map = maps.data() + static_cast<std::size_t>(t) * stride;
          for (int b = 0; b <= bins; ++b) {
            // A tile without a finite sample maps every level to itself.
            map[b] = static_cast<float>(total > 0 ? sum / total : static_cast<double>(b) / bins);
            if (b < bins) sum += counts[static_cast<std::size_t>(b)];
          }
          map[bins] = 1;
        }
      },
      1);
  return maps;
}

}  // namespace

Image Clahe::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void Clahe::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  if (strength == 0) return copy(in, out);
  const Cuts across = cuts_of(in.width(), columns, size), down = cuts_of(in.height(), rows, size);
  const std::size_t stride = static_cast<std::size_t>(bins) + 1;
  std::vector<std::vector<float>> maps;
  for (int i = 0; i < maps_needed(in.shape, color); ++i) {
    maps.push_back(tile_maps(in, measured_channel(in.shape, color, i), across, down, bins, static_cast<double>(limit)));
  }
  // For every column its place between two tile centers, the same for all rows: runs of columns between the same two.
  std::vector<float> shares(static_cast<std::size_t>(in.width()));
  struct Run {
    int from, to, left, right;
  };
  std::vector<Run> runs;
  for (int x = 0; x < in.width(); ++x) {
    const Between b = between(across, x);
    shares[static_cast<std::size_t>(x)] = b.share;
    if (runs.empty() || runs.back().left != b.low || runs.back().right != b.high) runs.push_back({x, x, b.low, b.high});
    runs.back().to = x + 1;
  }
  map_tones(in, out, color, [&](int map, int y, const float* from, float* to, std::size_t) {
    auto& mixed = of_thread<std::vector<float>, struct MixedMaps>();
    mixed.resize(6 * stride);
    const Between v = between(down, y);
    const float* const upper =
        maps[static_cast<std::size_t>(map)].data() + static_cast<std::size_t>(v.low * across.count()) * stride;
    const float* const lower =
        maps[static_cast<std::size_t>(map)].data() + static_cast<std::size_t>(v.high * across.count()) * stride;
    const auto mix = [&](int tile, float* into) {
      const std::size_t at = static_cast<std::size_t>(tile) * stride;
      lanes::mix_maps(upper + at, lower + at, v.share, into, stride);
    };
    float *left = mixed.data(), *right = left + stride, *pieces = right + stride;
    for (std::size_t i = 0; i < runs.size(); ++i) {
      const Run& r = runs[i];
      // The right map of one run is the left map of the next.
      if (i == 0 || runs[i - 1].right != r.left) {
        mix(r.left, left);
      } else {
        if (runs[i - 1].right != runs[i - 1].left) std::swap(left, right);
      }
      if (r.right != r.left) mix(r.right, right);
      lanes::lay_out(left, r.right == r.left ? left : right, pieces, stride - 1);
      const auto x = static_cast<std::size_t>(r.from);
      lanes::apply_maps({pieces, static_cast<float>(bins), strength}, from + x, shares.data() + x, to + x,
                        static_cast<std::size_t>(r.to - r.from));
    }
  });
}

void Clahe::describe(Description<Clahe>& d) {
  d.called("clahe", "tone", "Local equalization with limited contrast: detail in dark and bright parts at once.");
  d.also({"local equalization", "adaptive histogram equalization", "contrast", "defog", "fog", "haze"});
  d.wrong("the picture is noisy in flat areas: the noise is raised with the detail; denoise first or lower limit.");
  d.field("columns", &Clahe::columns, "tiles", "tiles side by side", {1, 256});
  d.field("rows", &Clahe::rows, "tiles", "tiles one above the other", {1, 256});
  d.field("size", &Clahe::size, "pixels", "tile side instead of columns and rows", {2, 100000});
  d.field("limit", &Clahe::limit, "means", "most a bin may hold; 1 changes nothing, large values do not limit",
          {1, 1000});
  d.field("bins", &Clahe::bins, "bins", "parts of 0..1 in each tile's histogram", {2, 65536});
  d.field("strength", &Clahe::strength, "share", "0 gives the input back, 1 the full result", {0, 1});
  d.field("color", &Clahe::color, "", "luma with the hue kept, or every channel by itself");
}

}  // namespace sieve
