#include "describe/row_run.hpp"

#include <algorithm>
#include <array>

#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

namespace {

// Samples of a channel that go through all operations before the next ones.
constexpr std::size_t kChunk = 1024;
// A table is worth it from curves on that take so many times of copying, and for pictures of so many samples a level.
constexpr double kTableCopies = 1.3;
constexpr std::size_t kTableSamples = 16;
// Beyond this a table does not stay in the caches.
constexpr std::uint32_t kTableLevels = 4095;

struct Buffer {
  alignas(64) float samples[kChunk];
};

}  // namespace

void RowRun::add(RowOperation operation, const Shape& result) {
  by_channel_ = by_channel_ && !operation.pixels;
  operations_.push_back(std::move(operation));
  colors_.push_back(result.color_channels());
}

void RowRun::prepare(std::uint32_t white_level, std::size_t samples) {
  double cost = 0;
  for (looked_up_ = 0; looked_up_ < count() && operations_[looked_up_].values; ++looked_up_)
    cost += operations_[looked_up_].copies;
  if (white_level < 1 || white_level > kTableLevels || samples < kTableSamples * (white_level + 1) ||
      cost < kTableCopies)
    return;
  table_ = std::make_shared<const LevelTable>(white_level, [&](const float* in, float* out, std::size_t n) {
    for (std::size_t i = 0; i < looked_up_; ++i) operations_[i].values(i == 0 ? in : out, out, n);
  });
}

double RowRun::copies() const {
  double sum = looked_up() > 0 ? kTableCopies : 0;
  for (std::size_t i = looked_up(); i < count(); ++i) sum += operations_[i].copies;
  return sum;
}

void RowRun::channel_row(const float* in, float* out, std::size_t n, RowPlace place, bool stream,
                         Listener* listener) const {
  Buffer buffer;
  for (std::size_t x = 0; x < n; x += kChunk) {
    const std::size_t m = std::min(kChunk, n - x);
    float* const to = stream ? buffer.samples : out + x;
    const float* from = in + x;
    std::size_t i = 0;
    if (listener != nullptr) listener->begin();
    // A table cannot be written over what it reads, since another way may have to read that again.
    if (table_ && (listener == nullptr || listener->last_alone) && from != to && (*table_)(from, to, m)) {
      from = to;
      i = looked_up_;
      if (listener != nullptr && i == count()) listener->hear(i - 1, to, m, place.x + static_cast<int>(x), place.y);
    }
    for (; i < count(); ++i) {
      const RowOperation& o = operations_[i];
      if (o.values) {
        o.values(from, to, m);
      } else {
        o.samples(from, to, m, {place.x + static_cast<int>(x), place.y, place.channel, place.width, place.height});
      }
      from = to;
      if (hears(listener, i)) listener->hear(i, to, m, place.x + static_cast<int>(x), place.y);
    }
    if (stream) rows::copy(to, out + x, m, true);
  }
}

void RowRun::color_row(const ConstView& in, const View& out, int y, bool stream, Listener* listener) const {
  const auto n = static_cast<std::size_t>(in.width());
  const int before = in.shape.color_channels(), after = out.shape.color_channels();
  std::array<Buffer, 3> buffers;
  for (std::size_t x = 0; x < n; x += kChunk) {
    PixelRow row{{}, {}, before, std::min(kChunk, n - x)};
    for (int c = 0; c < before; ++c) row.in[static_cast<std::size_t>(c)] = in.row(y, c) + x;
    for (std::size_t c = 0; c < 3; ++c) row.out[c] = buffers[c].samples;
    if (listener != nullptr) listener->begin();
    for (std::size_t i = 0; i < count(); ++i) {
      const RowOperation& o = operations_[i];
      if (o.pixels) {
        o.pixels(row);
      } else {
        for (int c = 0; c < row.colors; ++c) {
          const auto at = static_cast<std::size_t>(c);
          if (o.values) {
            o.values(row.in[at], row.out[at], row.count);
          } else {
            o.samples(row.in[at], row.out[at], row.count,
                      {in.place.x + static_cast<int>(x), in.place.y + y, c, in.whole_width(), in.whole_height()});
          }
        }
      }
      row.colors = colors_[i];
      for (std::size_t c = 0; c < 3; ++c) row.in[c] = buffers[c].samples;
      for (int c = 0; hears(listener, i) && c < row.colors; ++c)
        listener->hear(i, row.out[static_cast<std::size_t>(c)], row.count, in.place.x + static_cast<int>(x),
                       in.place.y + y);
    }
    for (int c = 0; c < after; ++c)
      rows::copy(row.out[static_cast<std::size_t>(c)], out.row(y, c) + x, row.count, stream);
  }
}

void RowRun::row(const ConstView& in, const View& out, int y, bool stream, Listener* listener) const {
  const auto n = static_cast<std::size_t>(in.width());
  if (by_channel_) {
    for (int c = 0; c < in.shape.color_channels(); ++c)
      channel_row(in.row(y, c), out.row(y, c), n, {in.place.x, in.place.y + y, c, in.whole_width(), in.whole_height()},
                  stream, listener);
  } else {
    color_row(in, out, y, stream, listener);
  }
  if (!in.shape.has_alpha()) return;
  const float* from = in.row(y, in.channels() - 1);
  float* to = out.row(y, out.channels() - 1);
  if (from != to) rows::copy(from, to, n, stream);
}

void RowRun::operator()(const ConstView& in, const View& out, int first, int last, bool stream) const {
  for (int y = first; y < last; ++y) row(in, out, y, stream, nullptr);
}

void RowRun::heard(const ConstView& in, const View& out, int first, int last, bool stream, Listener& listener) const {
  for (int y = first; y < last; ++y) row(in, out, y, stream, &listener);
}

void RowRun::operator()(const ConstView& in, const View& out) const {
  const bool stream = in.data != out.data && rows::streams(out.shape.samples());
  const auto a_row = in.shape.samples() / static_cast<std::size_t>(in.height());
  parallel_rows(in.height(), RowCost(a_row, std::max(1, static_cast<int>(copies()))),
                [&](int first, int last) { (*this)(in, out, first, last, stream); });
}

void run_rows(const FilterDescription& description, const void* filter, const ConstView& in, const View& out) {
  const std::shared_ptr<const void> known = description.measures(filter) ? description.measured(filter, in) : nullptr;
  RowRun run;
  run.add(description.row_operation(known ? known.get() : filter, in.shape), out.shape);
  run.prepare(in.white_level, in.shape.samples());
  run(in, out);
}

}  // namespace sieve::internal
