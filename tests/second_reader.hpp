#pragma once
// The packed picture as docs/format.md describes it: a second reader, written from that page alone, slow and plain.

#define XXH_INLINE_ALL
#include <xxhash.h>

#include <Eigen/Dense>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <map>
#include <numbers>

#include "sieve/pack.hpp"
#include "support.hpp"

namespace test::page {

using namespace sieve;

using Bytes = std::vector<std::uint8_t>;

struct Reader {
  const Bytes& bytes;
  std::size_t at = 0;
  std::uint64_t fixed(int n) {
    std::uint64_t v = 0;
    for (int i = 0; i < n; ++i) v |= static_cast<std::uint64_t>(bytes.at(at++)) << (8 * i);
    return v;
  }
  std::uint64_t varint() {
    std::uint64_t v = 0;
    for (int shift = 0;; shift += 7) {
      const std::uint64_t b = bytes.at(at++);
      v |= (b & 127) << shift;
      if (b < 128) return v;
    }
  }
};

struct File {
  std::uint64_t method = 0, width = 0, height = 0, channels = 0, white = 0, flags = 0, levels = 0, planes = 0, kept = 0;
  std::array<double, 9> turn{};
  std::vector<double> means;
  double step = 0;
  std::vector<Bytes> sections;
};

inline File read_file(const Bytes& bytes) {
  Reader r{bytes};
  const std::uint8_t magic[] = {0x8c, 0x4c, 0x53, 0x56, 0x0d, 0x0a, 0x1a, 0x0a};
  for (const std::uint8_t m : magic) REQUIRE(r.fixed(1) == m);
  REQUIRE(r.fixed(1) == 2);
  const std::uint64_t length = r.fixed(4);
  const std::size_t end = r.at + length;
  File f;
  f.method = r.varint(), f.width = r.varint(), f.height = r.varint(), f.channels = r.varint(), f.white = r.varint(),
  f.flags = r.varint();
  if ((f.flags & 1) == 0) {
    if (f.channels >= 3) {
      for (double& t : f.turn) t = static_cast<std::int16_t>(r.fixed(2)) / 16384.0;
    }
    for (std::uint64_t c = 0; c < f.channels; ++c) f.means.push_back(static_cast<std::int32_t>(r.fixed(4)) / 65536.0);
    f.step = static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(r.fixed(4))));
  }
  f.levels = r.varint(), f.planes = r.varint(), f.kept = r.varint();
  const std::uint64_t count = r.varint();
  std::vector<std::pair<std::uint64_t, std::uint64_t>> list;
  for (std::uint64_t i = 0; i < count; ++i) {
    const std::uint64_t size = r.varint();
    list.emplace_back(size, r.fixed(4));
  }
  REQUIRE(r.at == end);
  REQUIRE(r.fixed(4) == XXH32(bytes.data(), end, 0));
  for (const auto& [size, sum] : list) {
    f.sections.emplace_back(bytes.begin() + static_cast<std::ptrdiff_t>(r.at),
                            bytes.begin() + static_cast<std::ptrdiff_t>(r.at + size));
    REQUIRE(XXH32(f.sections.back().data(), size, 0) == sum);
    r.at += size;
  }
  REQUIRE(r.at == bytes.size());
  return f;
}

struct Probability {
  int value = 32768, seen = 0;
  bool steady = false;
};

// "The coder".
struct Coder {
  const Bytes& bytes;
  std::size_t at = 0;
  std::uint64_t range = (std::uint64_t{1} << 48) - 1, code = 0;
  explicit Coder(const Bytes& b) : bytes(b) {
    for (int i = 0; i < 6; ++i) code = code << 8 | byte();
  }
  std::uint64_t byte() { return at < bytes.size() ? bytes[at++] : 0; }
  void refill() {
    if (range >= std::uint64_t{1} << 32) return;
    range <<= 16;
    code = code << 8 | byte();
    code = code << 8 | byte();
  }
  bool bit(Probability& p) {
    const std::uint64_t bound = (range >> 15) * static_cast<std::uint64_t>(p.value / 2);
    const bool one = code < bound;
    if (one) {
      range = bound;
    } else {
      code -= bound;
      range -= bound;
    }
    int pace = p.steady ? 5 : 0;
    for (int n = p.steady ? 0 : (2 * p.seen + 3) * 3 / 4; n > 0; n /= 2) ++pace;
    const int difference = (one ? 65504 : 31) - p.value;
    p.value += static_cast<int>(std::floor(difference / std::exp2(pace)));
    p.seen = std::min(40, p.seen + 1);
    refill();
    return one;
  }
  std::uint64_t raw(int n) {
    range >>= n;
    const std::uint64_t v = code / range;
    code -= v * range;
    refill();
    return v;
  }
};

struct Count {
  int n;
  std::map<int, Probability> steps, lengths;
  std::uint64_t read(Coder& c) {
    for (int i = 0; i < n; ++i) {
      if (!c.bit(steps[i])) return static_cast<std::uint64_t>(i);
    }
    int length = 0;
    while (c.bit(lengths[length])) ++length;
    std::uint64_t low = 0;
    if (length > 16) low = c.raw(length - 16) << 16;
    if (length > 0) low |= c.raw(std::min(length, 16));
    return (std::uint64_t{1} << length) + low + static_cast<std::uint64_t>(n) - 1;
  }
};

inline int class_of(int sum) {
  const int table[] = {0, 1, 2, 3, 3, 4, 4, 5, 5, 5, 6, 6, 6, 6, 6, 6};
  return sum < 16 ? table[sum] : 7;
}

struct Block {
  std::array<std::array<int, 8>, 8> q{};  // by v, then u
  int last = 0, first = 0, off = 0;
  int size(int u, int v) const {
    return u < 8 && v < 8 && u + v > 0
               ? std::min(255, std::abs(q[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)]))
               : 0;
  }
};

struct Set {
  std::map<int, Count> first, sizes;
  std::map<int, Probability> some_last;
  std::map<std::pair<int, int>, Probability> last;
  std::map<std::array<int, 3>, Probability> some;
};

std::vector<std::pair<int, int>> zigzag() {
  std::vector<std::pair<int, int>> path;
  for (int d = 0; d < 15; ++d) {
    for (int i = 0; i <= d; ++i) {
      const int u = d % 2 == 0 ? i : d - i, v = d - u;  // even ones from the lower left
      if (u < 8 && v < 8) path.emplace_back(u, v);
    }
  }
  return path;
}

inline Block read_block(Coder& c, Set& s, const Block& left, const Block& up, int corner) {
  static const auto path = zigzag();
  Block b;
  const int a = left.first, o = up.first,
            expected = corner >= std::max(a, o)   ? std::min(a, o)
                       : corner <= std::min(a, o) ? std::max(a, o)
                                                  : a + o - corner;
  const auto m = static_cast<int>(
      s.first.try_emplace(class_of((left.off + up.off + 1) / 2), Count{14, {}, {}}).first->second.read(c));
  b.off = std::min(m, 1000);
  b.first = b.q[0][0] = expected + (m > 0 && c.raw(1) == 1 ? -m : m);
  const int about = left.last + up.last, context = class_of(about == 0 ? 0 : 1 + about / 4);
  if (c.bit(s.some_last[context])) {
    int node = 1;
    for (int i = 0; i < 6; ++i) node = 2 * node + c.bit(s.last[{context, node}]);
    b.last = node - 64;
  }
  for (int i = b.last; i > 0; --i) {
    const auto [u, v] = path[static_cast<std::size_t>(i)];
    const int inside = 2 * (b.size(u + 1, v) + b.size(u, v + 1)) + b.size(u + 1, v + 1) + b.size(u + 2, v) +
                       b.size(u, v + 2),
              beside = left.size(u, v) + up.size(u, v);
    const int diagonal = std::min(7, u + v), other = beside == 0 ? 0 : beside == 1 ? 1 : beside <= 3 ? 2 : 3;
    if (i < b.last && !c.bit(s.some[{diagonal, class_of(inside), other}])) continue;
    const int size =
        1 + static_cast<int>(
                s.sizes.try_emplace(2 * class_of((inside + 2 * beside) / 2) + (diagonal < 3), Count{14, {}, {}})
                    .first->second.read(c));
    b.q[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)] = c.raw(1) == 1 ? -size : size;
  }
  return b;
}

// "Colors", with loss.
inline Image turned_back(const File& f, const std::vector<Image>& turned) {
  const int w = static_cast<int>(f.width), h = static_cast<int>(f.height);
  const auto planes = static_cast<std::size_t>(f.channels);
  Image out(Shape{w, h, static_cast<int>(planes)});
  Eigen::Matrix3d turn = Eigen::Matrix3d::Identity();
  for (int i = 0; i < 9; ++i)
    turn(i / 3, i % 3) = planes >= 3 ? f.turn[static_cast<std::size_t>(i)] : turn(i / 3, i % 3);
  const Eigen::Matrix3d back = turn.inverse();
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      for (std::size_t c = 0; c < planes; ++c) {
        double v = 0;
        if (planes >= 3 && c < 3) {
          for (std::size_t p = 0; p < 3; ++p)
            v += back(static_cast<int>(c), static_cast<int>(p)) * static_cast<double>(turned[p].at(x, y));
        } else {
          v = static_cast<double>(turned[c].at(x, y));
        }
        v += f.means[c];
        out.at(x, y, static_cast<int>(c)) = static_cast<float>(f.white > 0 ? std::clamp(v, 0.0, 1.0) : v);
      }
    }
  }
  return out;
}

inline Image read_cosine(const File& f) {
  const int w = static_cast<int>(f.width), h = static_cast<int>(f.height), across = (w + 7) / 8, down = (h + 7) / 8;
  const auto planes = static_cast<std::size_t>(f.channels);
  std::vector<Image> turned(planes, Image(8 * across, 8 * down));
  for (std::size_t section = 0; section < f.sections.size(); ++section) {
    Coder c(f.sections[section]);
    std::array<Set, 2> sets;
    std::vector<std::vector<Block>> above(planes, std::vector<Block>(static_cast<std::size_t>(across)));
    const int top = static_cast<int>(section) * 16;
    for (int y = top; y < std::min(down, top + 16); ++y) {
      auto row = above;
      for (int x = 0; x < across; ++x) {
        for (std::size_t p = 0; p < planes; ++p) {
          const auto i = static_cast<std::size_t>(x);
          const Block none,
              up = y > top ? above[p][i]
                   : x > 0 ? row[p][i - 1]
                           : none,
              left = x > 0 ? row[p][i - 1] : up;
          const int corner = x > 0 && y > top ? above[p][i - 1].first : y > top ? up.first : left.first;
          const Block b = row[p][i] = read_block(c, sets[p > 0 ? 1 : 0], left, up, corner);
          // The transform back, by its sum.
          for (int j = 0; j < 8; ++j) {
            for (int k = 0; k < 8; ++k) {
              double sum = 0;
              for (int v = 0; v < 8; ++v) {
                for (int u = 0; u < 8; ++u) {
                  const int q = b.q[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)];
                  const double frequency = (u * u + v * v) / 64.0,
                               step = f.step * ((f.flags & 2) != 0 ? (1 + 3 * frequency) * (p > 0 ? 2 : 1) : 1);
                  const double value = q == 0 ? 0 : (std::abs(q) - (u + v > 0 ? 0.06 : 0)) * step * (q < 0 ? -1 : 1);
                  sum += value * (u == 0 ? std::sqrt(0.125) : 0.5) * (v == 0 ? std::sqrt(0.125) : 0.5) *
                         std::cos(std::numbers::pi * (2 * k + 1) * u / 16) *
                         std::cos(std::numbers::pi * (2 * j + 1) * v / 16);
                }
              }
              turned[p].at(8 * x + k, 8 * y + j) = static_cast<float>(sum);
            }
          }
        }
      }
      above = row;
    }
  }
  return turned_back(f, turned);
}

// --- predicted ---

inline std::vector<std::vector<int>> read_predicted(const File& f) {
  const int w = static_cast<int>(f.width), h = static_cast<int>(f.height);
  const int shift = std::max(0, static_cast<int>(std::bit_width(f.white)) - 8);
  std::vector<std::vector<int>> values(f.channels, std::vector<int>(f.width * f.height));
  for (std::size_t section = 0; section < f.sections.size(); ++section) {
    Coder c(f.sections[section]);
    struct Plane {
      std::map<std::pair<int, int>, std::pair<int, int>> means;  // sum and count
      std::map<std::pair<int, bool>, Probability> some;
      std::map<int, Probability> signs;
      std::map<int, Count> sizes;
    };
    std::vector<Plane> planes(f.channels);
    const int top = static_cast<int>(section) * 256;
    for (int y = top; y < std::min(h, top + 256); ++y) {
      std::vector<int> before(f.width);
      for (std::size_t p = 0; p < planes.size(); ++p) {
        int to_the_left = 0;
        for (int x = 0; x < w; ++x) {
          const auto v = [&](int dx, int dy) { return values[p][static_cast<std::size_t>((y + dy) * w + x + dx)]; };
          const bool up = y > top, right = x + 1 < w;
          const int n = up      ? v(0, -1)
                        : x > 0 ? v(-1, 0)
                                : 0,
                    west = x > 0 ? v(-1, 0) : n, nw = up && x > 0 ? v(-1, -1) : n, ne = up && right ? v(1, -1) : n,
                    ww = x > 1 ? v(-2, 0) : west;
          const int nn = y > top + 1 ? v(0, -2) : n, nne = y > top + 1 && right ? v(1, -2) : ne;
          const int across = std::abs(west - ww) + std::abs(n - nw) + std::abs(n - ne),
                    down = std::abs(west - nw) + std::abs(n - nn) + std::abs(ne - nne),
                    steep = (down - across) >> shift;
          int e = (west + n) / 2 + (ne - nw) / 4;
          e = steep > 80    ? west
              : steep < -80 ? n
              : steep > 32  ? (e + west) / 2
              : steep < -32 ? (e + n) / 2
              : steep > 8   ? (3 * e + west) / 4
              : steep < -8  ? (3 * e + n) / 4
                            : e;
          const int energy =
                        (across + down + 2 * std::abs(to_the_left) + 2 * before[static_cast<std::size_t>(x)]) >> shift,
                    bits = static_cast<int>(std::bit_width(static_cast<unsigned>(energy)));
          const int level = std::min(19, energy < 4 ? energy : 2 * bits - 2 + (energy >> (bits - 2) & 1));
          int texture = 0;
          for (const int near : {n, west, nw, ne, 2 * n - nn, 2 * west - ww}) texture = 2 * texture + (near < e);
          auto& [sum, count] = planes[p].means[{texture, level / 5}];
          e += count == 0 ? 0 : (2 * sum + count) / (2 * count);
          int difference = 0;
          if (c.bit(planes[p].some[{level, to_the_left == 0}])) {
            const bool negative = c.bit(planes[p].signs[texture]);
            difference =
                1 + static_cast<int>(planes[p].sizes.try_emplace(level, Count{24, {}, {}}).first->second.read(c));
            if (negative) difference = -difference;
          }
          sum += difference;
          if (++count == 128) sum /= 2, count /= 2;
          values[p][static_cast<std::size_t>(y * w + x)] = e + difference;
          to_the_left = difference;
          before[static_cast<std::size_t>(x)] = std::abs(difference);
        }
      }
    }
  }
  return values;
}

// Whole levels from planes whose colors were turned without loss.
inline Image whole_levels(const File& f, const std::vector<std::vector<int>>& v) {
  Image out(Shape{static_cast<int>(f.width), static_cast<int>(f.height), static_cast<int>(f.channels)},
            static_cast<std::uint32_t>(f.white));
  for (std::size_t i = 0; i < v[0].size(); ++i) {
    const int x = static_cast<int>(i % f.width), y = static_cast<int>(i / f.width);
    std::vector<int> levels;
    for (const auto& plane : v) levels.push_back(plane[i]);
    if (v.size() >= 3) {
      const int g = levels[0] - ((levels[1] + levels[2]) >> 2), b = levels[1] + g, r = levels[2] + g;
      levels[0] = r, levels[1] = g, levels[2] = b;
    }
    for (std::size_t c = 0; c < levels.size(); ++c)
      out.at(x, y, static_cast<int>(c)) = static_cast<float>(levels[c]) / static_cast<float>(f.white);
  }
  return out;
}

// --- svd and pca ---

struct Numbers {
  std::map<std::pair<int, int>, Count> sizes;
  int read(Coder& c, int kind, std::uint64_t near) {
    const auto m = static_cast<int>(
        sizes.try_emplace({kind, std::min(11, static_cast<int>(std::bit_width(near)))}, Count{18, {}, {}})
            .first->second.read(c));
    return m > 0 && c.raw(1) == 1 ? -m : m;
  }
  std::vector<double> vector(Coder& c, int kind, std::size_t n, double step) {
    std::vector<double> v;
    std::uint64_t one = 0, two = 0;
    for (std::size_t i = 0; i < n; ++i) {
      const int q = read(c, kind, 2 * one + two);
      v.push_back(q * step);
      two = one;
      one = static_cast<std::uint64_t>(std::abs(q));
    }
    return v;
  }
};

inline Image read_factors(const File& f) {
  Coder c(f.sections[0]);
  Numbers numbers;
  Count falls{8, {}, {}};
  double scale = 1024;
  const auto size = [&] {
    return std::exp2(((scale = std::max(0.0, scale - static_cast<double>(falls.read(c)))) - 512) / 8);
  };
  Image out(Shape{static_cast<int>(f.width), static_cast<int>(f.height), static_cast<int>(f.channels)});
  const auto clipped = [&](double v) { return static_cast<float>(f.white > 0 ? std::clamp(v, 0.0, 1.0) : v); };
  if (f.method == 2) {
    std::vector<double> sum(f.width * f.channels * f.height, f.means[0]);
    for (std::uint64_t k = 0; k < f.kept; ++k) {
      const double s = size();
      const auto left = numbers.vector(c, 0, f.height, f.step / std::sqrt(s)),
                 right = numbers.vector(c, 1, f.width * f.channels, f.step / std::sqrt(s));
      for (std::size_t y = 0; y < left.size(); ++y) {
        for (std::size_t x = 0; x < right.size(); ++x) sum[y * right.size() + x] += s * left[y] * right[x];
      }
    }
    for (int i = 0; i < static_cast<int>(f.channels); ++i) {
      for (int y = 0; y < out.height(); ++y) {
        for (int x = 0; x < out.width(); ++x)
          out.at(x, y, i) = clipped(sum[static_cast<std::size_t>(y) * f.width * f.channels +
                                        static_cast<std::size_t>(i) * f.width + static_cast<std::size_t>(x)]);
      }
    }
    return out;
  }
  const std::size_t across = (f.width + 7) / 8, down = (f.height + 7) / 8, color = f.channels >= 3 ? 3 : 1,
                    patches = across * down * (f.channels % 2 == 0 ? 2 : 1), length = 64 * color;
  const std::vector<double> mean = numbers.vector(c, 2, length, std::min(f.step, 1.0 / 512));
  std::vector<std::vector<double>> all(patches, mean);
  for (std::uint64_t k = 0; k < f.kept; ++k) {
    const double s = size();
    const auto axis = numbers.vector(
        c, 2, length, std::clamp(0.7 * f.step / (s * std::sqrt(static_cast<double>(length))), 1e-5, 0.05));
    Numbers own;
    std::vector<std::uint64_t> sizes(patches);
    for (std::size_t p = 0; p < patches; ++p) {
      const int q = own.read(c, 0, (p % across > 0 ? sizes[p - 1] : 0) + (p >= across ? sizes[p - across] : 0));
      sizes[p] = static_cast<std::uint64_t>(std::abs(q));
      for (std::size_t i = 0; i < length; ++i) all[p][i] += q * f.step * axis[i];
    }
  }
  for (int i = 0; i < static_cast<int>(f.channels); ++i) {
    for (int y = 0; y < out.height(); ++y) {
      for (int x = 0; x < out.width(); ++x) {
        const std::size_t p = static_cast<std::size_t>(y / 8) * across + static_cast<std::size_t>(x / 8),
                          inside = static_cast<std::size_t>(y % 8 * 8 + x % 8);
        const bool alpha = static_cast<std::size_t>(i) >= color;
        out.at(x, y, i) =
            clipped(all[alpha ? p + across * down : p][alpha ? inside : static_cast<std::size_t>(i) * 64 + inside]);
      }
    }
  }
  return out;
}

// The header again with one of its first nine varint fields (by its place) made another number, and the checksum right.
inline Bytes with_field(const Bytes& bytes, int field, std::uint64_t value) {
  Reader r{bytes};
  r.at = 9;
  const std::uint64_t length = r.fixed(4);
  const std::size_t start = r.at, end = start + length;
  Bytes body;
  const auto as_it_is = [&](std::size_t to) {
    body.insert(body.end(), bytes.begin() + static_cast<std::ptrdiff_t>(r.at),
                bytes.begin() + static_cast<std::ptrdiff_t>(to));
    r.at = to;
  };
  std::uint64_t channels = 0, flags = 0;
  for (int i = 0; i <= 8; ++i) {
    // The color turn, the means and the step stand between flags and levels.
    if (i == 6 && (flags & 1) == 0) as_it_is(r.at + (channels >= 3 ? 18 : 0) + 4 * channels + 4);
    std::uint64_t v = r.varint();
    if (i == 3) channels = v;
    if (i == 5) flags = v;
    if (i == field) v = value;
    for (; v >= 128; v >>= 7) body.push_back(static_cast<std::uint8_t>(v | 128));
    body.push_back(static_cast<std::uint8_t>(v));
  }
  as_it_is(end);
  Bytes out(bytes.begin(), bytes.begin() + 9);
  for (int i = 0; i < 4; ++i) out.push_back(static_cast<std::uint8_t>(body.size() >> (8 * i)));
  out.insert(out.end(), body.begin(), body.end());
  const std::uint32_t sum = XXH32(out.data(), out.size(), 0);
  for (int i = 0; i < 4; ++i) out.push_back(static_cast<std::uint8_t>(sum >> (8 * i)));
  out.insert(out.end(), bytes.begin() + static_cast<std::ptrdiff_t>(end + 4), bytes.end());
  return out;
}

}  // namespace test::page
