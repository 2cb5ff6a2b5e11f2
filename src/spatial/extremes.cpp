#include "spatial/extremes.hpp"

#include <algorithm>
#include <limits>
#include <span>
#include <vector>

#include "core/rows.hpp"
#include "core/workspace.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/extreme_lanes.hpp"
#include "spatial/window_runs.hpp"

namespace sieve {

using namespace internal;

namespace {

float number(float v) { return v == v ? v : std::numeric_limits<float>::infinity(); }

void along_rows(const ConstView& in, int radius, bool maximum, Border border, float fill, const View& out) {
  const int window = 2 * radius + 1, count = in.width() + 2 * radius;
  const bool stream = rows::streams(out.shape.samples());
  parallel_rows(in.height(), RowCost(in.width(), 4), [&](int first, int last) {
    Scratch<float> extended(static_cast<std::size_t>(count) + lanes::kRowSlack);
    for (int y = first; y < last; ++y) {
      rows::extend(in, y, -radius, count, border, fill, extended.data());
      lanes::row_extremes(extended.data(), static_cast<std::size_t>(window), maximum, out.row(y),
                          static_cast<std::size_t>(in.width()), stream);
    }
  });
}

// All of `maxima` one after the other, in place, on strips of columns that stay in cache.
void along_columns(const View& picture, int radius, std::span<const bool> maxima, Border border, float fill) {
  constexpr int kWide = 64;
  const int h = picture.height(), window = 2 * radius + 1, strips = (picture.width() + kWide - 1) / kWide;
  const Scratch<float> outside(kWide, number(fill));
  // The blocks reach beyond the last window; what they read there is not used.
  Scratch<int> places(static_cast<std::size_t>(h + window));
  // What is mirrored into a window lies in it anyway: it is as good as the edge, which need not be looked at twice.
  if (border == Border::mirror || border == Border::reflect) border = Border::edge;
  for (std::size_t i = 0; i < places.size(); ++i)
    places[i] = border_index(static_cast<int>(i) - radius, h, border).value_or(-1);
  lanes::ColumnRows rows{nullptr, 0, places.size() - 1};
  while (rows.first + 1 < places.size() && places[rows.first + 1] == places.front()) ++rows.first;
  while (rows.last > 0 && places[rows.last - 1] == places.back()) --rows.last;
  parallel_rows(
      strips, RowCost(static_cast<std::size_t>(h) * kWide, 4),
      [&](int first, int last) {
        // Results go into the picture only where nothing is to be read any more: each turn has a buffer of its own.
        Scratch<float> results(static_cast<std::size_t>(h) * kWide), scratch(static_cast<std::size_t>(window) * kWide),
            again;
        Scratch<const float*> from(places.size());
        Scratch<float*> to(static_cast<std::size_t>(h));
        for (int s = first; s < last; ++s) {
          const int x0 = s * kWide, wide = std::min(kWide, picture.width() - x0);
          const auto source = [&](std::size_t turn, int y) -> const float* {
            if (turn == 0) return picture.row(y) + x0;
            return (turn % 2 == 1 ? results : again).data() + static_cast<std::ptrdiff_t>(y) * kWide;
          };
          for (std::size_t turn = 0; turn < maxima.size(); ++turn) {
            for (std::size_t i = 0; i < from.size(); ++i)
              from[i] = places[i] < 0 ? outside.data() : source(turn, places[i]);
            const bool final = turn + 1 == maxima.size() && turn > 0;
            if (turn > 0 && !final) again.resize(results.size());
            for (int y = 0; y < h; ++y) {
              to[static_cast<std::size_t>(y)] =
                  final ? picture.row(y) + x0
                        : (turn % 2 == 0 ? results : again).data() + static_cast<std::ptrdiff_t>(y) * kWide;
            }
            lanes::column_extremes({from.data(), rows.first, rows.last}, static_cast<std::size_t>(window), maxima[turn],
                                   to.data(), static_cast<std::size_t>(h), static_cast<std::size_t>(wide),
                                   scratch.data());
          }
          if (maxima.size() == 1) {
            for (int y = 0; y < h; ++y) std::copy_n(source(1, y), wide, picture.row(y) + x0);
          }
        }
      },
      // A few strips share their buffers.
      std::max(1, strips / 16));
}

}  // namespace

void internal::extremes(const ConstView& in, int radius, std::span<const bool> maxima, Border border, float fill,
                        const View& out) {
  along_rows(in, radius, maxima.front(), border, fill, out);
  if (radius == 0) return;
  along_columns(out, radius, maxima, border, fill);
  if (maxima.size() == 1) return;
  along_rows(out, radius, maxima.back(), border, number(fill), out);
}

void internal::extremes_of(const ConstView& in, std::span<const WindowOffset> window, bool maximum, Border border,
                           float fill, const View& out) {
  const Scratch<Run> runs = runs_of(window);
  const int reach = reach_of(window);
  const auto n = static_cast<std::size_t>(in.width());
  parallel_rows(in.height(), RowCost(n * runs.size(), 4), [&](int first, int last) {
    Scratch<float> extended(n + 2 * static_cast<std::size_t>(reach) + 1 + lanes::kRowSlack), found(n);
    for (int y = first; y < last; ++y) {
      float* to = out.row(y);
      for (std::size_t i = 0; i < runs.size(); ++i) {
        const Run& r = runs[i];
        const int count = r.to - r.from + 1;
        rows::extend(in, y + r.dy, r.from, in.width() + count - 1, border, fill, extended.data());
        lanes::row_extremes(extended.data(), static_cast<std::size_t>(count), maximum, i == 0 ? to : found.data(), n,
                            false);
        if (i == 0) continue;
        for (std::size_t x = 0; x < n; ++x) to[x] = maximum ? std::max(to[x], found[x]) : std::min(to[x], found[x]);
      }
    }
  });
}

}  // namespace sieve
