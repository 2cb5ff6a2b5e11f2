#include "pack/band_pieces.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>

namespace sieve::internal::packing {

namespace {

int halved(int n, int levels) {
  for (; levels > 0; --levels) n = (n + 1) / 2;
  return n;
}

std::size_t area(int width, int height) { return static_cast<std::size_t>(width) * static_cast<std::size_t>(height); }

}  // namespace

Grid cells_of(const BandShape& shape) {
  return {(shape.width + kCell - 1) / kCell, (shape.height + kCell - 1) / kCell};
}

void shape_pieces(const BandShape& shape, const Grid& cells, int cell, std::vector<Piece>& all) {
  const int levels = shape.levels, w = shape.width, h = shape.height, cx = cell % cells.across,
            cy = cell / cells.across;
  std::vector<std::array<int, 4>> coarser(shape.planes, {-1, -1, -1, -1});
  std::array<int, 4> same = {-1, -1, -1, -1};  // the bands of the plane before
  std::size_t count = 0;
  all.resize(shape.planes * static_cast<std::size_t>(1 + 3 * levels));
  const auto add = [&](std::size_t plane, BandKind kind, int level, int x0, int y0, int bw, int bh) {
    const int left = static_cast<int>(static_cast<long long>(bw) * cx / cells.across),
              right = static_cast<int>(static_cast<long long>(bw) * (cx + 1) / cells.across);
    const int top = static_cast<int>(static_cast<long long>(bh) * cy / cells.down),
              bottom = static_cast<int>(static_cast<long long>(bh) * (cy + 1) / cells.down);
    Piece& q = all[count];
    q.kind = kind;
    q.level = level;
    q.plane = plane;
    q.x = left;
    q.y = top;
    q.nested_x = x0 + left;
    q.nested_y = y0 + top;
    q.width = right - left;
    q.height = bottom - top;
    q.begun = false;
    q.before = plane > 0 ? same[static_cast<std::size_t>(kind)] : -1;
    same[static_cast<std::size_t>(kind)] = static_cast<int>(count);
    int& up_at = coarser[plane][static_cast<std::size_t>(kind)];
    q.parent = -1;
    if (up_at >= 0) {
      const Piece& up = all[static_cast<std::size_t>(up_at)];
      q.shift_x = left - 2 * up.x;
      q.shift_y = top - 2 * up.y;
      // The rim about the parent may be read, nothing beyond it.
      const auto fits = [](int shift, int n, int room) {
        return n > 0 && room > 0 && (shift >> 1) >= -1 && ((n - 1 + shift) >> 1) <= room;
      };
      if (fits(q.shift_x, q.width, up.width) && fits(q.shift_y, q.height, up.height)) q.parent = up_at;
    }
    up_at = static_cast<int>(count++);
    q.blocks_across = (q.width + kBlock - 1) / kBlock;
    q.blocks_down = (q.height + kBlock - 1) / kBlock;
    q.block_stride = q.blocks_across + 2;
    q.quads_across = (q.width + 1) / 2;
    // A quad is read with one value around it, a block eight at once.
    q.stride = kBlock * (q.blocks_across + 1);
    q.size.assign(area(q.stride, kBlock * q.blocks_down + 3), 0);
    q.sign.assign(q.size.size(), 0);
    q.active.assign(area(q.block_stride, q.blocks_down + 2), 0);
  };
  for (std::size_t p = 0; p < shape.planes; ++p)
    add(p, BandKind::low, levels, 0, 0, halved(w, levels), halved(h, levels));
  for (int level = levels - 1; level >= 0; --level) {
    const int lw = halved(w, level + 1), lh = halved(h, level + 1), fw = halved(w, level), fh = halved(h, level);
    for (std::size_t p = 0; p < shape.planes; ++p) {
      add(p, BandKind::across, level, lw, 0, fw - lw, lh);
      add(p, BandKind::down, level, 0, lh, lw, fh - lh);
      add(p, BandKind::diagonal, level, lw, lh, fw - lw, fh - lh);
    }
  }
}

void Piece::double_sizes() {
  constexpr std::uint64_t kEach = 0x0101010101010101U;
  for (int by = 0; by < blocks_down; ++by) {
    for (int bx = 0; bx < blocks_across; ++bx) {
      if (!active[block(bx, by)]) continue;
      for (int j = by * kBlock; j < (by + 1) * kBlock; ++j) {
        // A row of a block in one number.
        std::uint64_t row;
        std::uint8_t* const p = size.data() + at(bx * kBlock, j);
        std::memcpy(&row, p, sizeof row);
        if (row == 0) continue;
        row <<= 1;
        std::uint64_t over = ((row + (127 - kLargestSize) * kEach) & (128 * kEach)) >> 7;
        over *= 255;
        row = (row & ~over) | (kLargestSize * kEach & over);
        std::memcpy(p, &row, sizeof row);
      }
    }
  }
}

std::uint64_t Piece::load(const ReadValues& read) {
  const int quads_down = (height + 1) / 2;
  values.assign(4 * area(quads_across, quads_down), 0);
  bits.assign(active.size(), 0);
  std::vector<std::uint32_t> rows(4 * static_cast<std::size_t>(quads_across));
  std::uint32_t *const upper = rows.data(), *const lower = upper + 2 * quads_across;
  std::uint64_t count = 0;
  std::uint32_t all = 0;
  std::vector<std::uint32_t> some(static_cast<std::size_t>(blocks_across) * 4);
  for (int j = 0; j < quads_down && width > 0; ++j) {
    read(row(2 * j), width, upper);
    if (2 * j + 1 < height) {
      read(row(2 * j + 1), width, lower);
    } else {
      std::fill_n(lower, width, 0U);
    }
    std::uint32_t* to = values.data() + quad(0, j);
    if (j % 4 == 0) std::fill(some.begin(), some.end(), 0U);
    std::uint32_t zeros = 0;
    for (const std::uint32_t* line : {upper, lower}) {
      for (int i = 0; i < width; ++i) zeros += line[i] << 1 == 0 ? 1U : 0U;
    }
    for (int i = 0; i < quads_across; ++i, to += 4) {
      std::memcpy(to, upper + 2 * i, 8);
      std::memcpy(to + 2, lower + 2 * i, 8);
      some[static_cast<std::size_t>(i)] |= to[0] | to[1] | to[2] | to[3];
    }
    count += 2 * static_cast<std::uint64_t>(width) - zeros;
    if (j % 4 != 3 && j + 1 < quads_down) continue;
    for (int bx = 0; bx < blocks_across; ++bx) {
      const std::uint32_t* s = some.data() + 4 * bx;
      const std::uint32_t any = (s[0] | s[1] | s[2] | s[3]) & ~kNegative;
      bits[block(bx, j / 4)] = static_cast<std::uint8_t>(std::bit_width(any));
      all |= any;
    }
  }
  most_bits = static_cast<int>(std::bit_width(all));
  return count;
}

void Piece::unload(const WriteValues& write) const {
  std::vector<std::uint32_t> line(2 * static_cast<std::size_t>(quads_across));
  for (int j = 0; j < height && width > 0; ++j) {
    const std::uint32_t* from = values.data() + quad(0, j / 2) + 2 * (j % 2);
    for (int i = 0; i < quads_across; ++i) std::memcpy(line.data() + 2 * i, from + 4 * i, 8);
    write(row(j), width, {line.data(), left.data() + block(0, j / kBlock)});
  }
}

}  // namespace sieve::internal::packing
