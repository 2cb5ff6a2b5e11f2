#include "sieve/spatial/kernel.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <numbers>
#include <numeric>

#include "core/luma.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kMostTaps = 4096;

std::vector<std::string> cut(std::string_view text, std::string_view separators, bool keep_empty) {
  std::vector<std::string> parts;
  std::size_t start = 0;
  while (start <= text.size()) {
    const std::size_t end = std::min(text.find_first_of(separators, start), text.size());
    if (keep_empty || end > start) parts.emplace_back(text.substr(start, end - start));
    start = end + 1;
  }
  return parts;
}

Kernel from_rows(const std::vector<std::vector<double>>& rows, std::optional<std::pair<int, int>> anchor) {
  if (rows.empty() || rows[0].empty()) throw InvalidArgument("kernel: no numbers in it");
  std::vector<double> taps;
  for (std::size_t y = 0; y < rows.size(); ++y) {
    if (rows[y].size() != rows[0].size()) {
      throw InvalidArgument(fmt::format("kernel: row {} has {} numbers, row 1 has {}; all rows need the same", y + 1,
                                        rows[y].size(), rows[0].size()));
    }
    taps.insert(taps.end(), rows[y].begin(), rows[y].end());
  }
  const int w = static_cast<int>(rows[0].size()), h = static_cast<int>(rows.size());
  return anchor ? Kernel(w, h, std::move(taps), anchor->first, anchor->second) : Kernel(w, h, std::move(taps));
}

double tap_value(const std::string& word, std::size_t row) {
  const std::size_t slash = word.find('|');
  const auto v = internal::parse_number(word);
  if (!v || slash != std::string::npos) {
    throw InvalidArgument(
        fmt::format("kernel: '{}' in row {} is not a number; rows are split by / and numbers by ,", word, row));
  }
  return *v;
}

std::pair<int, int> anchor_of(const std::string& text) {
  const auto parts = cut(text, ", ", true);
  const auto x = parts.size() == 2 ? internal::parse_whole(parts[0]) : std::nullopt;
  const auto y = parts.size() == 2 ? internal::parse_whole(parts[1]) : std::nullopt;
  if (!x || !y || std::abs(*x) > kMostTaps || std::abs(*y) > kMostTaps) {
    throw InvalidArgument("kernel: anchor=" + text + " is not X,Y (from 0,0 at the top left tap)");
  }
  return {static_cast<int>(*x), static_cast<int>(*y)};
}

// What no table of weights begins with: the letters of PNM and PFM, or bytes that are no text.
bool looks_like_picture(std::string_view content) {
  const std::string_view start = content.substr(0, 16);
  return start.starts_with('P') || std::any_of(start.begin(), start.end(), [](char c) { return c >= 0 && c < '\t'; });
}

Kernel from_file_text(const std::string& content) {
  std::vector<std::vector<double>> rows;
  std::optional<std::pair<int, int>> anchor;
  std::size_t number = 0;
  for (std::string line : cut(content, "\n", true)) {
    ++number;
    line = line.substr(0, line.find('#'));
    auto words = cut(line, " \t\r,", false);
    if (words.empty()) continue;
    if (words[0] == "anchor") {
      if (words.size() != 3) throw InvalidArgument(fmt::format("kernel file, line {}: write 'anchor X Y'", number));
      anchor = anchor_of(words[1] + "," + words[2]);
      continue;
    }
    std::vector<double> row;
    for (const std::string& w : words) {
      const auto v = internal::parse_number(w);
      if (!v) throw InvalidArgument(fmt::format("kernel file, line {}: '{}' is not a number", number, w));
      row.push_back(*v);
    }
    rows.push_back(std::move(row));
  }
  return from_rows(rows, anchor);
}

// Parameters of a named kernel: "sigma=2,size=9", with what is allowed.
class Given {
 public:
  Given(std::string name, const std::string& text) : name_(std::move(name)) {
    for (const std::string& part : cut(text, ",", false)) {
      const std::size_t eq = part.find('=');
      if (eq == std::string::npos)
        throw InvalidArgument(fmt::format("kernel {}: '{}' is not parameter=value", name_, part));
      values_[part.substr(0, eq)] = part.substr(eq + 1);
    }
  }
  double number(const std::string& key, double standard, ParameterRange range) {
    known_.push_back(key);
    const auto it = values_.find(key);
    if (it == values_.end()) return standard;
    const auto v = internal::parse_number(it->second);
    if (!v || *v < range.low || *v > range.high) {
      throw InvalidArgument(fmt::format("kernel {}: {}={} is not allowed: give {}", name_, key, it->second,
                                        internal::range_text(range, ParameterKind::number, "pixels")));
    }
    return *v;
  }
  int whole(const std::string& key, int standard, ParameterRange range) {
    const double v = number(key, standard, range);
    if (v != std::floor(v))
      throw InvalidArgument(fmt::format("kernel {}: {}={} must be a whole number", name_, key, v));
    return static_cast<int>(v);
  }
  void done() const {
    for (const auto& [key, value] : values_) {
      if (std::find(known_.begin(), known_.end(), key) == known_.end()) {
        throw InvalidArgument(fmt::format("kernel {}: no parameter '{}'; it has {}", name_, key,
                                          known_.empty() ? "none" : listed(known_)));
      }
    }
  }

 private:
  std::string name_;
  std::map<std::string, std::string> values_;
  std::vector<std::string> known_;
};

struct Fixed {
  const char* name;
  const char* help;
  std::vector<double> taps;
};

// As written here they are for correlation: positive where the picture grows brighter to the right or downward.
const std::vector<Fixed>& fixed_kernels() {
  static const std::vector<Fixed> all = {
      {"identity", "leaves the picture as it is", {0, 0, 0, 0, 1, 0, 0, 0, 0}},
      {"sharpen", "picture minus its 4-neighbor Laplacian, sum 1", {0, -1, 0, -1, 5, -1, 0, -1, 0}},
      {"laplacian", "second differences, 4 neighbors, sum 0", {0, 1, 0, 1, -4, 1, 0, 1, 0}},
      {"laplacian8", "second differences, 8 neighbors, sum 0", {1, 1, 1, 1, -8, 1, 1, 1, 1}},
      {"sobel_x", "Sobel, right minus left", {-1, 0, 1, -2, 0, 2, -1, 0, 1}},
      {"sobel_y", "Sobel, below minus above", {-1, -2, -1, 0, 0, 0, 1, 2, 1}},
      {"prewitt_x", "Prewitt, right minus left", {-1, 0, 1, -1, 0, 1, -1, 0, 1}},
      {"prewitt_y", "Prewitt, below minus above", {-1, -1, -1, 0, 0, 0, 1, 1, 1}},
      {"scharr_x", "Scharr, right minus left: truest direction", {-3, 0, 3, -10, 0, 10, -3, 0, 3}},
      {"scharr_y", "Scharr, below minus above: truest direction", {-3, -10, -3, 0, 0, 0, 3, 10, 3}},
      {"emboss", "relief lit from the top left, sum 1", {-2, -1, 0, -1, 1, 1, 0, 1, 2}},
  };
  return all;
}

}  // namespace

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
  // The row and the column through the largest tap; their product must give every other tap.
  int px = 0, py = 0;
  double most = 0;
  for (int y = 0; y < height_; ++y) {
    for (int x = 0; x < width_; ++x) {
      if (std::abs(at(x, y)) > most) {
        most = std::abs(at(x, y));
        px = x;
        py = y;
      }
    }
  }
  if (most == 0) return std::nullopt;
  Factors f;
  for (int y = 0; y < height_; ++y) f.column.push_back(at(px, y) / at(px, py));
  for (int x = 0; x < width_; ++x) f.row.push_back(at(x, py));
  for (int y = 0; y < height_; ++y) {
    for (int x = 0; x < width_; ++x) {
      const double product = f.column[static_cast<std::size_t>(y)] * f.row[static_cast<std::size_t>(x)];
      if (std::abs(product - at(x, y)) > 1e-6 * most) return std::nullopt;
    }
  }
  return f;
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

Kernel Kernel::box(int radius) {
  if (radius < 0 || radius > kMostTaps / 2 - 1) {
    throw InvalidArgument(fmt::format("kernel box: radius={} is not allowed: give 0 to {} (2 radius + 1 taps a side)",
                                      radius, kMostTaps / 2 - 1));
  }
  const int side = 2 * radius + 1;
  const auto n = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
  Kernel k(side, side, std::vector<double>(n, 1.0 / static_cast<double>(n)));
  k.text_ = fmt::format("box:radius={}", radius);
  return k;
}

Kernel Kernel::gaussian(double sigma, int size) {
  if (!(sigma > 0) || sigma > 500)
    throw InvalidArgument(fmt::format("kernel gaussian: sigma={} is not allowed: give above 0 to 500", sigma));
  if (size < 0 || size > kMostTaps || (size > 0 && size % 2 == 0)) {
    throw InvalidArgument(
        fmt::format("kernel gaussian: size={} is not allowed: give an odd number, or 0 for 2*ceil(4 sigma)+1", size));
  }
  const int radius = size > 0 ? size / 2 : static_cast<int>(std::ceil(4 * sigma));
  std::vector<double> line;
  for (int i = -radius; i <= radius; ++i) line.push_back(std::exp(-0.5 * i * i / (sigma * sigma)));
  const double total = std::accumulate(line.begin(), line.end(), 0.0);
  for (double& v : line) v /= total;
  std::vector<double> taps;
  for (const double a : line) {
    for (const double b : line) taps.push_back(a * b);
  }
  const int side = 2 * radius + 1;
  Kernel k(side, side, std::move(taps));
  k.text_ = fmt::format("gaussian:sigma={}", internal::number_text(sigma, false)) +
            (size > 0 ? fmt::format(",size={}", size) : "");
  return k;
}

Kernel Kernel::disk(double radius) {
  if (!(radius >= 0) || radius > 500)
    throw InvalidArgument(fmt::format("kernel disk: radius={} is not allowed: give 0 to 500", radius));
  const int r = static_cast<int>(radius);
  std::vector<double> taps;
  double count = 0;
  for (int y = -r; y <= r; ++y) {
    for (int x = -r; x <= r; ++x) count += taps.emplace_back(x * x + y * y <= radius * radius ? 1.0 : 0.0);
  }
  for (double& t : taps) t /= count;
  Kernel k(2 * r + 1, 2 * r + 1, std::move(taps));
  k.text_ = fmt::format("disk:radius={}", internal::number_text(radius, false));
  return k;
}

Kernel Kernel::motion(double length, double angle) {
  if (!(length >= 1) || length > 1000)
    throw InvalidArgument(fmt::format("kernel motion: length={} is not allowed: give 1 to 1000", length));
  if (!(std::abs(angle) <= 360))
    throw InvalidArgument(fmt::format("kernel motion: angle={} is not allowed: give -360 to 360 degrees", angle));
  const double turn = angle * 3.14159265358979323846 / 180, dx = std::cos(turn), dy = -std::sin(turn);
  const int r = static_cast<int>(std::ceil((length - 1) / 2)) + 1, side = 2 * r + 1;
  std::vector<double> taps(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
  // Points every sixteenth of a pixel, each shared by the four pixels about it.
  const int points = std::max(1, static_cast<int>(std::lround((length - 1) * 16)) + 1);
  for (int i = 0; i < points; ++i) {
    const double t = points == 1 ? 0 : (length - 1) * (static_cast<double>(i) / (points - 1) - 0.5), x = r + t * dx,
                 y = r + t * dy;
    const int x0 = std::min(static_cast<int>(x), side - 2), y0 = std::min(static_cast<int>(y), side - 2);
    for (int j = 0; j < 2; ++j) {
      for (int k = 0; k < 2; ++k) {
        taps[static_cast<std::size_t>((y0 + j) * side + x0 + k)] +=
            (k ? x - x0 : 1 - x + x0) * (j ? y - y0 : 1 - y + y0) / points;
      }
    }
  }
  Kernel kernel(side, side, std::move(taps));
  kernel.text_ = fmt::format("motion:length={},angle={}", internal::number_text(length, false),
                             internal::number_text(angle, false));
  return kernel;
}

namespace {

// (2 J1(x) / x)^2 with x = 3.8317 at the first dark ring, over four of its radii. Source: Born and Wolf, Principles of
// Optics, 8.5.
Kernel airy(double radius) {
  const int r = static_cast<int>(std::ceil(4 * radius));
  std::vector<double> taps;
  for (int y = -r; y <= r; ++y) {
    for (int x = -r; x <= r; ++x) {
      const double t = 3.8317059702 * std::hypot(x, y) / radius, a = t == 0 ? 1 : 2 * std::cyl_bessel_j(1, t) / t;
      taps.push_back(a * a);
    }
  }
  return Kernel(2 * r + 1, 2 * r + 1, std::move(taps)).normalized();
}

}  // namespace

Kernel Kernel::of_picture(const ConstView& in) {
  require_input(in, "kernel");
  const Image gray = luma_of(in);
  std::vector<double> taps;
  double sum = 0;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) sum += taps.emplace_back(static_cast<double>(gray.at(x, y)));
  }
  if (!(sum > 0) || !std::isfinite(sum))
    throw InvalidArgument(fmt::format(
        "kernel: the samples of the picture sum to {:g}; a picture of a kernel has a finite sum above 0", sum));
  return Kernel(in.width(), in.height(), std::move(taps), in.width() / 2, in.height() / 2).normalized();
}

Kernel Kernel::parse(std::string_view text, const Resources& resources) {
  if (text.empty()) throw InvalidArgument("kernel: nothing given; give a name, rows like 0,1,0/1,-4,1/0,1,0, or @FILE");
  if (text[0] == '@') {
    const std::string file(text.substr(1));
    if (!resources.text)
      throw InvalidArgument("kernel: files cannot be opened here; give the rows instead of @" + file);
    const std::string content = resources.text(file);
    if (!looks_like_picture(content)) return from_file_text(content);
    if (!resources.picture)
      throw InvalidArgument("kernel: pictures cannot be opened here; give the rows instead of @" + file);
    Kernel kernel = of_picture(resources.picture(file));
    kernel.text_ = text;
    return kernel;
  }
  const std::size_t colon = text.find(':');
  const std::string head(text.substr(0, colon));
  const std::string rest(colon == std::string_view::npos ? std::string_view{} : text.substr(colon + 1));
  const bool numbers = head.find_first_not_of("0123456789+-.,/eE") == std::string::npos;
  if (numbers) {
    std::vector<std::vector<double>> rows;
    for (const std::string& line : cut(head, "/", true)) {
      std::vector<double> row;
      for (const std::string& word : cut(line, ",", true)) row.push_back(tap_value(word, rows.size() + 1));
      rows.push_back(std::move(row));
    }
    std::optional<std::pair<int, int>> anchor;
    if (!rest.empty()) {
      if (!rest.starts_with("anchor="))
        throw InvalidArgument("kernel: behind the rows only :anchor=X,Y may stand, not ':" + rest + "'");
      anchor = anchor_of(rest.substr(7));
    }
    return from_rows(rows, anchor);
  }
  Given given(head, rest);
  std::optional<Kernel> kernel;
  if (head == "box") {
    kernel = box(given.whole("radius", 1, {0, 2047}));
  } else if (head == "gaussian") {
    const double sigma = given.number("sigma", 1, {0.01, 500});
    kernel = gaussian(sigma, given.whole("size", 0, {0, kMostTaps}));
  } else if (head == "disk") {
    kernel = disk(given.number("radius", 3, {0, 500}));
  } else if (head == "motion") {
    const double length = given.number("length", 9, {1, 1000});
    kernel = motion(length, given.number("angle", 0, {-360, 360}));
  } else if (head == "airy") {
    const double radius = given.number("radius", 3, {0.5, 100});
    kernel = airy(radius);
    kernel->text_ = fmt::format("airy:radius={}", internal::number_text(radius, false));
  } else {
    for (const Fixed& f : fixed_kernels()) {
      if (head == f.name) {
        kernel = Kernel(3, 3, f.taps);
        kernel->text_ = f.name;
      }
    }
  }
  if (!kernel) {
    std::vector<std::string> all;
    for (const Preset& n : names()) all.push_back(n.name);
    const std::string near = nearest_name(head, all);
    throw InvalidArgument(
        fmt::format("kernel: no kernel is called '{}'{}; known are {}, or give rows like 0,1,0/1,-4,1/0,1,0", head,
                    near.empty() ? "" : fmt::format(" (did you mean '{}'?)", near), listed(all)));
  }
  given.done();
  return *kernel;
}

const std::vector<Kernel::Preset>& Kernel::names() {
  static const std::vector<Preset> all = [] {
    std::vector<Preset> v = {
        {"box", "radius=1", "equal taps, 2 radius + 1 a side, sum 1"},
        {"gaussian", "sigma=1, size=0", "Gaussian of sum 1; size 0 means 2 ceil(4 sigma) + 1"},
        {"disk", "radius=3", "equal taps within a radius, sum 1: out of focus"},
        {"motion", "length=9, angle=0", "a line, degrees counterclockwise, sum 1: a shaken camera"},
        {"airy", "radius=3", "diffraction at a round opening, sum 1; the radius of the first dark ring"}};
    for (const Fixed& f : fixed_kernels()) v.push_back({f.name, "", f.help});
    return v;
  }();
  return all;
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
