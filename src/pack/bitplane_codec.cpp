// Bit planes of nested wavelet bands, from the highest down, so that a stream that is cut off still gives a picture.
// Each cell of the picture, with its part of every band of all planes, is a stream of its own.

#include <algorithm>
#include <bit>

#include "core/of_thread.hpp"
#include "pack/band_pieces.hpp"
#include "pack/codecs.hpp"
#include "pack/plane_models.hpp"
#include "pack/varint.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal::packing {

namespace {

// The pieces that a thread works on.
std::vector<Piece>& own_pieces() { return of_thread<std::vector<Piece>, struct OwnPieces>(); }

}  // namespace

PlanesPacked encode_planes(const BandShape& shape, std::uint32_t largest, const ReadValues& read) {
  const Grid cells = cells_of(shape);
  const int count = cells.across * cells.down;
  PlanesPacked packed;
  packed.planes = static_cast<int>(std::bit_width(largest));
  std::vector<std::uint64_t> nonzero(static_cast<std::size_t>(count));
  struct Stream {
    Bytes bytes;
    std::vector<std::size_t> ends;
  };
  std::vector<Stream> streams(static_cast<std::size_t>(count));
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(kCell) * kCell, 32),
      [&](int first, int last) {
        std::vector<Piece>& pieces = own_pieces();
        for (int cell = first; cell < last; ++cell) {
          shape_pieces(shape, cells, cell, pieces);
          for (Piece& q : pieces) nonzero[static_cast<std::size_t>(cell)] += q.load(read);
          PlaneModels models;
          RangeEncoder encoder;
          Stream& s = streams[static_cast<std::size_t>(cell)];
          for (int plane = packed.planes - 1; plane >= 0; --plane) {
            checkpoint();
            for (Piece& q : pieces) models.code(encoder, pieces, q, plane);
            s.ends.push_back(encoder.size());
          }
          s.bytes = encoder.finish();
          if (!s.ends.empty()) s.ends.back() = s.bytes.size();
          for (std::size_t& e : s.ends) e = std::min(e, s.bytes.size());
        }
      },
      1);
  for (std::size_t plane = 0; plane < static_cast<std::size_t>(packed.planes); ++plane) {
    Bytes section;
    for (const Stream& s : streams) {
      const std::size_t from = plane == 0 ? 0 : s.ends[plane - 1], to = s.ends[plane];
      put_varint(section, to - from);
      section.insert(section.end(), s.bytes.begin() + static_cast<std::ptrdiff_t>(from),
                     s.bytes.begin() + static_cast<std::ptrdiff_t>(to));
    }
    packed.sections.push_back(std::move(section));
  }
  for (const std::uint64_t n : nonzero) packed.nonzero += n;
  return packed;
}

bool decode_planes(const Sections& sections, bool complete, int planes, const BandShape& shape,
                   const WriteValues& write) {
  const Grid cells = cells_of(shape);
  const int count = cells.across * cells.down;
  // The streams of the cells, put together from what is there of the sections.
  std::vector<Bytes> streams(static_cast<std::size_t>(count));
  if (complete && static_cast<int>(sections.size()) != planes) return false;
  std::vector<char> cut(static_cast<std::size_t>(count), static_cast<int>(sections.size()) < planes ? 1 : 0);
  for (const auto& section : sections) {
    std::span<const std::uint8_t> rest = section;
    for (std::size_t cell = 0; cell < static_cast<std::size_t>(count); ++cell) {
      const auto length = take_varint(rest);
      const std::size_t have = length ? static_cast<std::size_t>(std::min<std::uint64_t>(*length, rest.size())) : 0;
      if (!length || have < *length) cut[cell] = 1;
      streams[cell].insert(streams[cell].end(), rest.begin(), rest.begin() + static_cast<std::ptrdiff_t>(have));
      rest = rest.subspan(have);
      if (complete && cut[cell]) return false;
    }
    if (complete && !rest.empty()) return false;
  }
  std::vector<char> good(static_cast<std::size_t>(count), 1);
  parallel_rows(
      count, RowCost(static_cast<std::size_t>(kCell) * kCell, 32),
      [&](int first, int last) {
        std::vector<Piece>& pieces = own_pieces();
        for (int cell = first; cell < last; ++cell) {
          const auto i = static_cast<std::size_t>(cell);
          shape_pieces(shape, cells, cell, pieces);
          for (Piece& q : pieces) {
            q.left.assign(q.active.size(), static_cast<std::uint8_t>(planes));
            q.values.assign(q.quad(0, (q.height + 1) / 2), 0);
          }
          PlaneModels models;
          // A whole stream is followed by the zeros that its end stands for.
          if (!cut[i]) streams[i].resize(streams[i].size() + 8);
          RangeDecoder decoder(streams[i]);
          bool going = true;
          for (int plane = planes - 1; plane >= 0 && going; --plane) {
            checkpoint();
            for (Piece& q : pieces) {
              if (going) going = models.code(decoder, pieces, q, plane);
            }
          }
          good[i] = going || cut[i];
          for (const Piece& q : pieces) q.unload(write);
        }
      },
      1);
  return std::all_of(good.begin(), good.end(), [](char g) { return g != 0; });
}

}  // namespace sieve::internal::packing
