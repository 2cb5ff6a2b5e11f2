#include "sieve/spatial/kernel.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <ostream>

#include "spatial/correlation.hpp"
#include "spatial/kernel_limits.hpp"

namespace sieve {

using namespace internal;

Kernel::Kernel(int width, int height, std::vector<double> taps)
    : Kernel(width, height, std::move(taps), (width - 1) / 2, (height - 1) / 2) {
  if (width % 2 == 0 || height % 2 == 0) {
    throw InvalidArgument(
        fmt::format("kernel: {}x{} has an even side and so no middle: name the anchor (anchor=X,Y)", width, height));
  }
}

Kernel::Kernel(int width, int height, std::vector<double> taps, int anchor_x, int anchor_y)
    : width_(width), height_(height), anchor_x_(anchor_x), anchor_y_(anchor_y), taps_(std::move(taps)) {
  if (width < 1 || height < 1 || width > kMostTaps || height > kMostTaps) {
    throw InvalidArgument(
        fmt::format("kernel: a size of {}x{} is not allowed: sides are 1 to {}", width, height, kMostTaps));
  }
  if (taps_.size() != static_cast<std::size_t>(width) * static_cast<std::size_t>(height)) {
    throw InvalidArgument(
        fmt::format("kernel: {}x{} needs {} taps, given are {}", width, height, width * height, taps_.size()));
  }
  for (const double t : taps_) {
    if (!std::isfinite(t)) throw InvalidArgument("kernel: a tap is not a finite number");
  }
  if (anchor_x < 0 || anchor_x >= width || anchor_y < 0 || anchor_y >= height) {
    throw InvalidArgument(
        fmt::format("kernel: anchor {},{} is outside the {}x{} kernel", anchor_x, anchor_y, width, height));
  }
}

double Kernel::sum() const { return std::accumulate(taps_.begin(), taps_.end(), 0.0); }

Kernel Kernel::normalized() const {
  const double s = sum();
  if (std::abs(s) < 1e-300) throw InvalidArgument("kernel: its sum is 0, so it cannot be normalized to 1");
  Kernel k = *this;
  for (double& t : k.taps_) t /= s;
  k.text_.clear();
  return k;
}

Kernel Kernel::turned() const {
  Kernel k = *this;
  std::reverse(k.taps_.begin(), k.taps_.end());
  k.anchor_x_ = width_ - 1 - anchor_x_;
  k.anchor_y_ = height_ - 1 - anchor_y_;
  k.text_.clear();
  return k;
}

std::optional<Kernel::Factors> Kernel::separated() const {
  const auto f = internal::separated(Taps(*this, false));
  if (!f) return std::nullopt;
  return Factors{{f->column.begin(), f->column.end()}, {f->row.begin(), f->row.end()}};
}

std::string Kernel::text() const {
  if (!text_.empty()) return text_;
  std::string s;
  for (int y = 0; y < height_; ++y) {
    for (int x = 0; x < width_; ++x) s += (x ? "," : y ? "/" : "") + internal::number_text(at(x, y), false);
  }
  if (anchor_x_ != (width_ - 1) / 2 || anchor_y_ != (height_ - 1) / 2 || width_ % 2 == 0 || height_ % 2 == 0) {
    s += fmt::format(":anchor={},{}", anchor_x_, anchor_y_);
  }
  return s;
}

Kernel Kernel::outer(std::span<const double> column, std::span<const double> row) {
  if (column.size() > kMostTaps || row.size() > kMostTaps) {
    throw InvalidArgument(
        fmt::format("kernel: a size of {}x{} is not allowed: sides are 1 to {}", row.size(), column.size(), kMostTaps));
  }
  std::vector<double> taps;
  for (const double a : column) {
    for (const double b : row) taps.push_back(a * b);
  }
  return Kernel(static_cast<int>(row.size()), static_cast<int>(column.size()), std::move(taps));
}

std::ostream& operator<<(std::ostream& out, const Kernel& k) {
  out << fmt::format("kernel {}x{}, anchor {},{}, sum {:.6g}\n", k.width(), k.height(), k.anchor_x(), k.anchor_y(),
                     k.sum());
  std::vector<std::string> numbers;
  std::size_t widest = 0;
  for (const double t : k.taps()) widest = std::max(widest, numbers.emplace_back(fmt::format("{:.6g}", t)).size());
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    const bool last = (i + 1) % static_cast<std::size_t>(k.width()) == 0;
    out << fmt::format("  {:>{}}{}", numbers[i], widest, last ? "\n" : "");
  }
  return out;
}

std::complex<double> frequency_response(const Kernel& k, double fx, double fy) {
  std::complex<double> sum = 0;
  for (int y = 0; y < k.height(); ++y) {
    for (int x = 0; x < k.width(); ++x)
      sum += k.at(x, y) * std::polar(1.0, -2 * std::numbers::pi * (fx * (x - k.anchor_x()) + fy * (y - k.anchor_y())));
  }
  return sum;
}

}  // namespace sieve
