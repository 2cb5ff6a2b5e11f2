#include "denoise/block_noise.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

#include "core/index.hpp"
#include "denoise/block_lanes.hpp"
#include "quality/flattest.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

// The cosine transform of the blocks of a plane, side by side without overlap: of a side whose rows have no gaps.
struct NoiseBlocks {
  int across, down, numbers;
  std::vector<float> coefficients;
  const float* of(int i) const { return coefficients.data() + static_cast<std::ptrdiff_t>(i) * numbers; }
};

namespace {

// Of the variance of a number, and of the mean of all.
constexpr double kLeastPower = 1e-12, kLeastShare = 1e-3;

NoiseBlocks blocks_of(const ConstView& plane, int side) {
  NoiseBlocks b{plane.width() / side, plane.height() / side, side * side, {}};
  b.coefficients.resize(index(b.across) * index(b.down) * index(b.numbers));
  const lanes::BlockBasis basis(side);
  parallel_rows(b.down, static_cast<std::size_t>(64 * plane.width()), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int x = 0; x < b.across; ++x) {
        alignas(64) float block[lanes::kMostBlock * lanes::kMostBlock];
        const std::ptrdiff_t place = x * side;
        lanes::blocks_forward(basis, plane.row(y * side), plane.row_stride, &place, 1, 0, block);
        float* numbers = b.coefficients.data() + index(y * b.across + x) * index(b.numbers);
        for (int v = 0; v < side; ++v) {
          for (int u = 0; u < side; ++u) numbers[v * side + u] = block[u * side + v];
        }
      }
    }
  });
  return b;
}

float median(std::vector<float>& values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

// Noise that was clipped is smaller than it was.
bool clipped(const ConstView& picture, int x0, int y0, int side) {
  constexpr double kClipped = 0.02;
  int ends = 0;
  const int color = picture.shape.color_channels();
  for (int c = 0; c < color; ++c) {
    for (int y = y0; y < y0 + side; ++y) {
      for (int x = x0; x < x0 + side; ++x) ends += picture.row(y, c)[x] == 0 || picture.row(y, c)[x] == 1;
    }
  }
  return ends > kClipped * side * side * color;
}

std::vector<int> all_blocks(const NoiseBlocks& b) {
  std::vector<int> all(index(b.across) * index(b.down));
  std::iota(all.begin(), all.end(), 0);
  return all;
}

// The flattest blocks.
std::vector<int> flat_blocks(const NoiseBlocks& b, const ConstView& picture, int side) {
  std::vector<float> detail(index(b.across) * index(b.down));
  for (std::size_t i = 0; i < detail.size(); ++i) {
    const float* c = b.of(static_cast<int>(i));
    for (int k = 1; k < b.numbers; ++k) detail[i] += c[k] * c[k];
  }
  constexpr std::size_t kLeast = 64;
  std::vector<Spot> open;
  for (int y = 0; y < b.down; ++y) {
    for (int x = 0; x < b.across; ++x) {
      const int i = y * b.across + x;
      Spot spot{b.of(i)[0], 0, index(i)};
      for (const auto& [dx, dy] : {std::pair(-1, 0), std::pair(1, 0), std::pair(0, -1), std::pair(0, 1)}) {
        if (x + dx >= 0 && x + dx < b.across && y + dy >= 0 && y + dy < b.down)
          spot.beside = std::max(spot.beside, detail[index((y + dy) * b.across + x + dx)]);
      }
      if (!clipped(picture, x * side, y * side, side)) open.push_back(spot);
    }
  }
  // Of few that are not clipped by chance the noise is small by chance.
  if (4 * open.size() <= detail.size()) return all_blocks(b);
  std::vector<int> flat;
  for (const std::size_t i : flattest(std::move(open), kLeast)) flat.push_back(static_cast<int>(i));
  return flat;
}

}  // namespace

BlockNoise::BlockNoise(int planes, double deviation)
    : planes_(index(planes), Spectrum(index(kSide * kSide), deviation * deviation)) {}

BlockNoise::Spectrum BlockNoise::measured(const NoiseBlocks& b, const std::vector<int>& chosen) {
  Spectrum s(index(kSide * kSide));
  if (chosen.empty()) return Spectrum(s.size(), kLeastPower);
  // The median of a squared normal number is 0.4549 of its variance.
  std::vector<float> squares(chosen.size());
  for (int k = 1; k < kSide * kSide; ++k) {
    for (std::size_t i = 0; i < chosen.size(); ++i) squares[i] = b.of(chosen[i])[k] * b.of(chosen[i])[k];
    s[index(k)] = static_cast<double>(median(squares)) / 0.4549364;
  }
  // The mean of a block is that of the picture, too: its noise goes on from the lowest frequencies.
  const double beside = s[1], below = s[index(kSide)], across = s[index(kSide + 1)], most = std::max(beside, below);
  s[0] = across > 0 ? std::clamp(beside * below / across, most, 2 * most) : most;
  // Numbers are divided by it: a plane without noise, or one that a JPEG has cut off, must not make that nothing.
  const double least = std::max(kLeastPower, kLeastShare * std::accumulate(s.begin(), s.end(), 0.0) / (kSide * kSide));
  for (double& v : s) v = std::max(v, least);
  return s;
}

BlockNoise BlockNoise::in_flat_parts(const Image& planes, const ConstView& picture) {
  BlockNoise n;
  for (int c = 0; c < planes.channels(); ++c) {
    const NoiseBlocks b = blocks_of(planes.view().channel(c), kSide);
    Spectrum s = measured(b, flat_blocks(b, picture, kSide));
    // Over fifteen photographs the middle orders are 0.94 to 1.1 times as strong as the highest in white noise and 1.4
    // times in the grain of a Gaussian of 0.5 pixels. What a picture full of texture leaves there falls faster: in
    // grain the logarithm of low to high is 1.5 to 2.2 times that of middle to high, in clean texture 2.3 and more.
    constexpr double kWhite = 1.3, kTexture = 2.25;
    const double high = mean_of(s, 10, 14), middle = mean_of(s, 5, 7) / high, low = mean_of(s, 1, 3) / high;
    if (!(middle > kWhite * kWhite) || low > std::pow(middle, kTexture)) std::fill(s.begin(), s.end(), high);
    n.planes_.push_back(std::move(s));
  }
  return n;
}
BlockNoise BlockNoise::alone(const Image& planes) {
  BlockNoise n;
  for (int c = 0; c < planes.channels(); ++c) {
    const NoiseBlocks b = blocks_of(planes.view().channel(c), kSide);
    n.planes_.push_back(measured(b, all_blocks(b)));
  }
  return n;
}

// Over the numbers whose column and row have a sum of `first` to `last`.
double BlockNoise::mean_of(const Spectrum& s, int first, int last) {
  double sum = 0;
  int count = 0;
  for (int y = 0; y < kSide; ++y) {
    for (int x = 0; x < kSide; ++x) {
      if (x + y < first || x + y > last) continue;
      sum += s[index(y * kSide + x)];
      ++count;
    }
  }
  return sum / count;
}

bool BlockNoise::white() const {
  constexpr double kEqual = 1.3;
  double least = deviation(0), most = least;
  for (std::size_t c = 0; c < planes_.size(); ++c) {
    if (*std::min_element(planes_[c].begin(), planes_[c].end()) < planes_[c][0]) return false;
    least = std::min(least, deviation(static_cast<int>(c)));
    most = std::max(most, deviation(static_cast<int>(c)));
  }
  return most <= kEqual * least;
}

double BlockNoise::power(int plane, int x, int y, int side) const {
  // The same frequency, between the two that are nearest.
  const Spectrum& s = planes_[index(plane)];
  const double u = std::min(kSide - 1.0, static_cast<double>(x) * kSide / side),
               v = std::min(kSide - 1.0, static_cast<double>(y) * kSide / side);
  const int i = std::min(kSide - 2, static_cast<int>(u)), j = std::min(kSide - 2, static_cast<int>(v));
  const double a = u - i, b = v - j;
  const auto get = [&](int p, int q) { return s[index(q * kSide + p)]; };
  return (1 - b) * ((1 - a) * get(i, j) + a * get(i + 1, j)) + b * ((1 - a) * get(i, j + 1) + a * get(i + 1, j + 1));
}

double BlockNoise::deviation(int plane) const {
  double sum = 0;
  for (const double v : planes_[index(plane)]) sum += v;
  return std::sqrt(sum / (kSide * kSide));
}
double BlockNoise::deviation() const {
  double sum = 0;
  for (std::size_t c = 0; c < planes_.size(); ++c) sum += std::pow(deviation(static_cast<int>(c)), 2);
  return std::sqrt(sum / static_cast<double>(planes_.size()));
}
void BlockNoise::set_deviation(double wanted) {
  const double factor = std::pow(wanted / deviation(), 2);
  for (Spectrum& s : planes_) {
    for (double& v : s) v = std::max(v * factor, kLeastPower);
  }
}

}  // namespace sieve::internal
