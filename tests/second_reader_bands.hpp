#pragma once
// The part of the second reader for wavelet bands: docs/format.md, "wavelet".

#include "second_reader.hpp"

namespace test::page {

struct Band {
  int kind = 0;  // 0 approximation, 1 high along x, 2 along y, 3 along both
  int plane = 0, left = 0, top = 0, width = 0, height = 0, parent = -1;  // place in the nested plane
};

// All bands in the order of the page, coarse before fine.
inline std::vector<Band> bands_of(int width, int height, int levels, int planes) {
  const auto halved = [](int n, int times) {
    for (int i = 0; i < times; ++i) n = (n + 1) / 2;
    return n;
  };
  std::vector<Band> all;
  for (int p = 0; p < planes; ++p) all.push_back({0, p, 0, 0, halved(width, levels), halved(height, levels), -1});
  std::map<std::pair<int, int>, int> last;
  for (int level = levels; level > 0; --level) {
    const int lw = halved(width, level), lh = halved(height, level), fw = halved(width, level - 1),
              fh = halved(height, level - 1);
    for (int p = 0; p < planes; ++p) {
      for (const Band& b :
           {Band{1, p, lw, 0, fw - lw, lh}, Band{2, p, 0, lh, lw, fh - lh}, Band{3, p, lw, lh, fw - lw, fh - lh}}) {
        all.push_back(b);
        const std::pair key(p, b.kind);
        all.back().parent = last.contains(key) ? last[key] : -1;
        last[key] = static_cast<int>(all.size()) - 1;
      }
    }
  }
  return all;
}

// The table of first probabilities, row by row.
inline const std::vector<int> kQuads = {
    19,  43,  57,  93,  93,  127, 136, 162, 176, 192, 194, 197, 200, 216, 216, 216, 37,  67,  82,  110, 110, 138,
    150, 170, 184, 197, 203, 209, 218, 223, 223, 223, 76,  104, 120, 133, 143, 159, 171, 184, 194, 205, 213, 217,
    219, 220, 229, 240, 25,  50,  62,  93,  93,  121, 125, 147, 153, 153, 155, 162, 190, 196, 196, 196, 39,  69,
    81,  106, 106, 129, 137, 154, 155, 163, 178, 178, 178, 178, 178, 178, 70,  87,  100, 112, 124, 140, 148, 153,
    161, 162, 170, 178, 207, 234, 234, 234, 44,  72,  89,  114, 116, 148, 155, 173, 183, 194, 194, 196, 208, 240,
    240, 240, 61,  89,  104, 126, 129, 156, 163, 179, 190, 201, 203, 203, 203, 203, 203, 203, 95,  117, 129, 146,
    155, 170, 181, 188, 198, 202, 204, 209, 210, 219, 231, 240, 80,  102, 131, 146, 159, 179, 189, 205, 211, 219,
    219, 221, 221, 221, 240, 240, 99,  116, 140, 156, 169, 186, 195, 205, 216, 224, 226, 233, 233, 240, 240, 240,
    135, 150, 167, 182, 193, 202, 209, 218, 223, 228, 231, 236, 236, 236, 237, 237};
inline const std::vector<int> kSome = {51,  51,  51,  71,  84,  99,  115, 126, 133, 136, 140, 39,  39,  59,  77,
                                       99,  109, 118, 125, 132, 136, 143, 72,  94,  115, 134, 134, 140, 146, 152,
                                       164, 170, 174, 125, 163, 166, 178, 178, 178, 185, 192, 200, 205, 205};
inline const std::vector<int> kBlocks = {2,  13, 47,  92,  192, 18, 73,  148, 214, 239,
                                         22, 43, 113, 233, 240, 48, 124, 183, 228, 240};
inline const std::vector<int> kMore = {28, 29, 38, 41, 50, 59, 70, 84, 102, 112, 126,
                                       62, 62, 62, 66, 67, 70, 74, 80, 87,  97,  118};

// Probabilities of one kind, of all sets of bands.
struct Likely {
  const std::vector<int>& first;
  std::map<std::pair<int, int>, Probability> all;
  Probability& at(int set, int i) {
    return all.try_emplace({set, i}, Probability{256 * first.at(static_cast<std::size_t>(i)), 0, true}).first->second;
  }
};
inline const std::vector<int> kSigns(5, 128), kBegins(1, 36);
struct Sets {
  Likely begins{kBegins, {}}, block{kBlocks, {}}, quad{kQuads, {}}, some{kSome, {}}, more{kMore, {}}, sign{kSigns, {}};
};

inline int class_from(const std::vector<int>& begins, int sum) {
  int level = 0;
  for (const int begin : begins) level += sum >= begin;
  return level - 1;
}

// Values of all planes, nested, by rows; all bits are there.
inline std::vector<std::vector<int>> read_planes(const File& f) {
  const int w = static_cast<int>(f.width), h = static_cast<int>(f.height), planes = static_cast<int>(f.channels),
            across = (w + 511) / 512, down = (h + 511) / 512;
  std::vector<std::vector<int>> values(f.channels, std::vector<int>(f.width * f.height));
  std::vector<Bytes> streams(static_cast<std::size_t>(across * down));
  for (const Bytes& section : f.sections) {
    Reader r{section};
    for (Bytes& stream : streams) {
      const std::uint64_t n = r.varint();
      for (std::uint64_t i = 0; i < n; ++i) stream.push_back(section.at(r.at++));
    }
    REQUIRE(r.at == section.size());
  }
  const std::vector<Band> bands = bands_of(w, h, static_cast<int>(f.levels), planes);
  for (int cell = 0; cell < across * down; ++cell) {
    Coder c(streams[static_cast<std::size_t>(cell)]);
    Sets sets;
    const int cx = cell % across, cy = cell / across;
    struct Part {
      int x0, x1, y0, y1;  // of the band, in the cell
      std::vector<int> known, sign;
      bool begun = false;
      std::map<std::pair<int, int>, bool> active;
      int width() const { return x1 - x0; }
      int at(const std::vector<int>& v, int x, int y) const {
        return x < x0 || x >= x1 || y < y0 || y >= y1 ? 0 : v[static_cast<std::size_t>((y - y0) * width() + x - x0)];
      }
    };
    std::vector<Part> parts;
    for (const Band& b : bands) {
      Part p{b.width * cx / across,
             b.width * (cx + 1) / across,
             b.height * cy / down,
             b.height * (cy + 1) / down,
             {},
             {},
             false,
             {}};
      p.known.resize(static_cast<std::size_t>(p.width() * (p.y1 - p.y0)));
      p.sign = p.known;
      parts.push_back(p);
    }
    for (int plane = static_cast<int>(f.planes) - 1; plane >= 0; --plane) {
      for (std::size_t i = 0; i < bands.size(); ++i) {
        const Band& b = bands[i];
        Part& p = parts[i];
        const Part* up = b.parent >= 0 ? &parts[static_cast<std::size_t>(b.parent)] : nullptr;
        const int set = b.plane > 0 ? 4 + b.kind : b.kind;
        p.begun = p.begun || c.bit(sets.begins.at(set, 0));
        if (!p.begun) continue;
        const Part* before = nullptr;
        for (std::size_t j = 0; j < i; ++j) {
          if (bands[j].plane == b.plane - 1 && bands[j].kind == b.kind && bands[j].left == b.left &&
              bands[j].top == b.top)
            before = &parts[j];
        }
        const auto size = [plane](const Part& of, int x, int y) {
          return std::min(31, of.at(of.known, x, y) >> plane);
        };
        const int wx = std::array{3, 2, 4, 2}[static_cast<std::size_t>(b.kind)],
                  wy = std::array{3, 4, 2, 2}[static_cast<std::size_t>(b.kind)], wd = b.kind == 3 ? 2 : 1;
        const auto holds = [](const Part& of, int x, int y) {
          const auto it = of.active.find({x, y});
          return it != of.active.end() && it->second ? 1 : 0;
        };
        for (int by = 0; by * 8 < p.y1 - p.y0; ++by) {
          for (int bx = 0; bx * 8 < p.x1 - p.x0; ++bx) {
            if (!holds(p, bx, by)) {
              int near = holds(p, bx - 1, by) + holds(p, bx + 1, by) + holds(p, bx, by - 1) + holds(p, bx, by + 1);
              if (up) {
                const int px = std::clamp((((p.x0 + bx * 8) >> 1) - up->x0) / 8, 0, (up->width() - 1) / 8),
                          py = std::clamp((((p.y0 + by * 8) >> 1) - up->y0) / 8, 0, (up->y1 - up->y0 - 1) / 8);
                near += 5 * holds(*up, px, py);
              }
              if (before) near += 10 * holds(*before, bx, by);
              if (!c.bit(sets.block.at(set, near))) continue;
              p.active[{bx, by}] = true;
            }
            for (int quad = 0; quad < 16; ++quad) {
              const int x0 = p.x0 + bx * 8 + quad % 4 * 2, y0 = p.y0 + by * 8 + quad / 4 * 2;
              if (x0 >= p.x1 || y0 >= p.y1) continue;
              // Of the quad, and of the twelve values around it.
              int inside = 0, around = 0, same = 0;
              for (int j = -1; j <= 2; ++j) {
                for (int k = -1; k <= 2; ++k) {
                  const bool in_row = j == 0 || j == 1, in_column = k == 0 || k == 1;
                  (in_row && in_column ? inside : around) += size(p, x0 + k, y0 + j) * (in_row && in_column ? 1
                                                                                        : in_row            ? wx
                                                                                        : in_column         ? wy
                                                                                                            : wd);
                  if (in_row && in_column && before) same += size(*before, x0 + k, y0 + j);
                }
              }
              const bool fresh = inside == 0;
              if (fresh) {
                const int parent = up ? std::min(2, size(*up, x0 >> 1, y0 >> 1)) : 0,
                          alike = same == 0   ? 0
                                  : same == 1 ? 1
                                  : same <= 5 ? 2
                                              : 3,
                          level = class_from({0, 1, 2, 3, 4, 6, 8, 11, 15, 21, 30, 39, 60, 90, 140, 220}, around);
                if (!c.bit(sets.quad.at(set, (3 * alike + parent) * 16 + level))) continue;
              }
              std::vector<std::pair<int, int>> places;
              for (int k = 0; k < 4; ++k) {
                if (x0 + k % 2 < p.x1 && y0 + k / 2 < p.y1) places.emplace_back(x0 + k % 2, y0 + k / 2);
              }
              bool found = false;
              for (std::size_t k = 0; k < places.size(); ++k) {
                const auto [x, y] = places[k];
                const auto n = [&, x = x, y = y](int dx, int dy) { return size(p, x + dx, y + dy); };
                const auto g = [&, x = x, y = y](int dx, int dy) { return p.at(p.sign, x + dx, y + dy); };
                const int level = class_from({0, 1, 2, 4, 6, 8, 11, 15, 21, 30, 39},
                                             wx * (n(-1, 0) + n(1, 0)) + wy * (n(0, -1) + n(0, 1)) +
                                                 wd * (n(-1, -1) + n(1, -1) + n(-1, 1) + n(1, 1)));
                const auto at = static_cast<std::size_t>((y - p.y0) * p.width() + x - p.x0);
                int& known = p.known[at];
                if (known != 0) {
                  known |= static_cast<int>(c.bit(sets.more.at(set, (n(0, 0) == 2 ? 0 : 11) + level))) << plane;
                  continue;
                }
                const std::size_t rest = places.size() - 1 - k;
                if (!fresh || found || rest > 0) {
                  const int state = !fresh ? 0 : found ? 1 : rest > 1 ? 2 : 3;
                  if (!c.bit(sets.some.at(set, 11 * state + level))) continue;
                }
                found = true;
                known = 1 << plane;
                const auto sign_of = [](int v) { return (v > 0) - (v < 0); };
                const int s = 3 * sign_of(g(-1, 0) + g(1, 0)) + sign_of(g(0, -1) + g(0, 1));
                p.sign[at] = c.bit(sets.sign.at(set, std::abs(s))) != (s < 0) ? -1 : 1;
              }
            }
          }
        }
      }
    }
    for (std::size_t i = 0; i < bands.size(); ++i) {
      for (int y = parts[i].y0; y < parts[i].y1; ++y) {
        for (int x = parts[i].x0; x < parts[i].x1; ++x) {
          values[static_cast<std::size_t>(bands[i].plane)]
                [static_cast<std::size_t>((bands[i].top + y) * w + bands[i].left + x)] =
                    parts[i].at(parts[i].known, x, y) * parts[i].at(parts[i].sign, x, y);
        }
      }
    }
  }
  return values;
}

}  // namespace test::page
