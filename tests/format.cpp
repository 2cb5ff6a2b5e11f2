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

#include "sieve/io.hpp"
#include "sieve/pack.hpp"
#include "support.hpp"

using namespace sieve;
using test::noon;
using test::deviation;

namespace {

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

File read_file(const Bytes& bytes) {
  Reader r{bytes};
  const std::uint8_t magic[] = {0x8c, 0x4c, 0x53, 0x56, 0x0d, 0x0a, 0x1a, 0x0a};
  for (const std::uint8_t m : magic) REQUIRE(r.fixed(1) == m);
  REQUIRE(r.fixed(1) == 1);
  const std::uint64_t length = r.fixed(4);
  const std::size_t end = r.at + length;
  File f;
  f.method = r.varint(), f.width = r.varint(), f.height = r.varint(), f.channels = r.varint(), f.white = r.varint(), f.flags = r.varint();
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
    f.sections.emplace_back(bytes.begin() + static_cast<std::ptrdiff_t>(r.at), bytes.begin() + static_cast<std::ptrdiff_t>(r.at + size));
    REQUIRE(XXH32(f.sections.back().data(), size, 0) == sum);
    r.at += size;
  }
  REQUIRE(r.at == bytes.size());
  return f;
}

struct Probability {
  int value = 32768, seen = 0;
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
    int pace = 0;
    for (int n = (2 * p.seen + 3) * 3 / 4; n > 0; n /= 2) ++pace;
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

int class_of(int sum) {
  const int table[] = {0, 1, 2, 3, 3, 4, 4, 5, 5, 5, 6, 6, 6, 6, 6, 6};
  return sum < 16 ? table[sum] : 7;
}

struct Block {
  std::array<std::array<int, 8>, 8> q{};  // by v, then u
  int last = 0, first = 0, off = 0;
  int size(int u, int v) const { return u < 8 && v < 8 && u + v > 0 ? std::min(255, std::abs(q[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)])) : 0; }
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

Block read_block(Coder& c, Set& s, const Block& left, const Block& up, int corner) {
  static const auto path = zigzag();
  Block b;
  const int a = left.first, o = up.first, expected = corner >= std::max(a, o) ? std::min(a, o) : corner <= std::min(a, o) ? std::max(a, o) : a + o - corner;
  const auto m = static_cast<int>(s.first.try_emplace(class_of((left.off + up.off + 1) / 2), Count{14, {}, {}}).first->second.read(c));
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
    const int inside = 2 * (b.size(u + 1, v) + b.size(u, v + 1)) + b.size(u + 1, v + 1) + b.size(u + 2, v) + b.size(u, v + 2), beside = left.size(u, v) + up.size(u, v);
    const int diagonal = std::min(7, u + v), other = beside == 0 ? 0 : beside == 1 ? 1 : beside <= 3 ? 2 : 3;
    if (i < b.last && !c.bit(s.some[{diagonal, class_of(inside), other}])) continue;
    const int size = 1 + static_cast<int>(s.sizes.try_emplace(2 * class_of((inside + 2 * beside) / 2) + (diagonal < 3), Count{14, {}, {}}).first->second.read(c));
    b.q[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)] = c.raw(1) == 1 ? -size : size;
  }
  return b;
}

Image read_cosine(const File& f) {
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
          const Block none, up = y > top ? above[p][i] : x > 0 ? row[p][i - 1] : none, left = x > 0 ? row[p][i - 1] : up;
          const int corner = x > 0 && y > top ? above[p][i - 1].first : y > top ? up.first : left.first;
          const Block b = row[p][i] = read_block(c, sets[p > 0 ? 1 : 0], left, up, corner);
          // The transform back, by its sum.
          for (int j = 0; j < 8; ++j) {
            for (int k = 0; k < 8; ++k) {
              double sum = 0;
              for (int v = 0; v < 8; ++v) {
                for (int u = 0; u < 8; ++u) {
                  const int q = b.q[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)];
                  const double frequency = (u * u + v * v) / 64.0, step = f.step * ((f.flags & 2) != 0 ? (1 + 3 * frequency) * (p > 0 ? 2 : 1) : 1);
                  const double value = q == 0 ? 0 : (std::abs(q) - (u + v > 0 ? 0.06 : 0)) * step * (q < 0 ? -1 : 1);
                  sum += value * (u == 0 ? std::sqrt(0.125) : 0.5) * (v == 0 ? std::sqrt(0.125) : 0.5) * std::cos(std::numbers::pi * (2 * k + 1) * u / 16) * std::cos(std::numbers::pi * (2 * j + 1) * v / 16);
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
  Image out(Shape{w, h, static_cast<int>(planes)});
  Eigen::Matrix3d turn = Eigen::Matrix3d::Identity();
  for (int i = 0; i < 9; ++i) turn(i / 3, i % 3) = planes >= 3 ? f.turn[static_cast<std::size_t>(i)] : turn(i / 3, i % 3);
  const Eigen::Matrix3d back = turn.inverse();
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      for (std::size_t c = 0; c < planes; ++c) {
        double v = 0;
        if (planes >= 3 && c < 3) {
          for (std::size_t p = 0; p < 3; ++p) v += back(static_cast<int>(c), static_cast<int>(p)) * static_cast<double>(turned[p].at(x, y));
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

// The header again with one varint field (by its place) made another number, and the checksum right.
Bytes with_field(const Bytes& bytes, int field, std::uint64_t value) {
  Reader r{bytes};
  r.at = 9;
  const std::uint64_t length = r.fixed(4);
  const std::size_t start = r.at, end = start + length;
  Bytes body;
  for (int i = 0; r.at < end; ++i) {
    const std::size_t from = r.at;
    if (i <= 5) {
      std::uint64_t v = r.varint();
      if (i == field) v = value;
      for (; v >= 128; v >>= 7) body.push_back(static_cast<std::uint8_t>(v | 128));
      body.push_back(static_cast<std::uint8_t>(v));
    } else {
      r.at = end;
      body.insert(body.end(), bytes.begin() + static_cast<std::ptrdiff_t>(from), bytes.begin() + static_cast<std::ptrdiff_t>(end));
    }
  }
  Bytes out(bytes.begin(), bytes.begin() + 9);
  for (int i = 0; i < 4; ++i) out.push_back(static_cast<std::uint8_t>(body.size() >> (8 * i)));
  out.insert(out.end(), body.begin(), body.end());
  const std::uint32_t sum = XXH32(out.data(), out.size(), 0);
  for (int i = 0; i < 4; ++i) out.push_back(static_cast<std::uint8_t>(sum >> (8 * i)));
  out.insert(out.end(), bytes.begin() + static_cast<std::ptrdiff_t>(end + 4), bytes.end());
  return out;
}

}  // namespace

TEST_CASE("a reader written from the page decodes what the library packs by cosine") {
  const Image part(noon().view().part({180, 60, 83, 150}));
  Image with_alpha(Shape{40, 30, 4});
  for (int c = 0; c < 3; ++c) copy(noon().view().part({180, 60, 40, 30}).channel(c), with_alpha.view().channel(c));
  for (int y = 0; y < 30; ++y) {
    for (int x = 0; x < 40; ++x) with_alpha.at(x, y, 3) = static_cast<float>(x) / 39;
  }
  for (const Image& image : {part, to_gray(part), with_alpha, test::noise(20, 9)}) {
    for (const PackOptions& o : {PackOptions{.by = PackBy::cosine, .quality = 85}, PackOptions{.by = PackBy::cosine, .quality = 30}, PackOptions{.by = PackBy::cosine, .quality = 70, .perceptual = true}}) {
      const Bytes bytes = pack(image, o).bytes;
      const File f = read_file(bytes);
      CHECK(f.width == static_cast<std::uint64_t>(image.width()));
      CHECK(f.channels == static_cast<std::uint64_t>(image.channels()));
      CHECK(deviation(read_cosine(f), unpack(bytes).image) < 1e-4);
    }
  }
}

TEST_CASE("the headers of all methods are as the page says") {
  const Image part(noon().view().part({180, 60, 64, 48}));
  Image whole = io::decode(io::encode(io::Format::png, part).data(), io::encode(io::Format::png, part).size(), "png").image;
  const File lossless = read_file(pack(whole, {.lossless = true}).bytes);
  CHECK((lossless.flags & 1) == 1);
  CHECK(lossless.white == 255);
  CHECK(read_file(pack(whole, {.by = PackBy::wavelet}).bytes).sections.size() == read_file(pack(whole, {.by = PackBy::wavelet}).bytes).planes);
  const Packed svd = pack(whole, {.by = PackBy::svd});
  CHECK(read_file(svd.bytes).kept == svd.kept);
  CHECK(read_file(svd.bytes).sections.size() == 1);
  CHECK(read_file(pack(whole, {.by = PackBy::pca}).bytes).method == 3);
  CHECK(read_file(pack(test::noise(9, 9), {.by = PackBy::cosine}).bytes).white == 0);
}

TEST_CASE("a header that lies, its checksum right, is refused before memory is spent") {
  const Image part(noon().view().part({180, 60, 64, 48}));
  for (const PackBy by : {PackBy::cosine, PackBy::wavelet, PackBy::svd, PackBy::pca}) {
    CAPTURE(std::string(name_of(by)));
    const Bytes bytes = pack(part, {.by = by}).bytes;
    CHECK(with_field(bytes, 0, static_cast<std::uint64_t>(by)) == bytes);
    for (const auto& [field, value] : {std::pair<int, std::uint64_t>{0, 9}, {1, 0}, {1, 20000}, {1, 0x7fffffff}, {2, 30000}, {2, std::uint64_t{1} << 60}, {3, 0}, {3, 5}, {4, 70000}, {5, 8}, {5, 1}, {5, 4}}) {
      CAPTURE(field);
      CAPTURE(value);
      CHECK_THROWS_AS(unpack(with_field(bytes, field, value)), Error);
    }
    // A size that is a little wrong: an error, or a picture of the size that it says, and never more.
    for (const std::uint64_t width : {63U, 65U, 72U, 1U}) {
      try {
        const Unpacked u = unpack(with_field(bytes, 1, width));
        CHECK(u.image.width() == static_cast<int>(width));
      } catch (const Error& e) {
        CHECK(std::string(e.what()).starts_with("packed picture: "));
      }
    }
  }
}
