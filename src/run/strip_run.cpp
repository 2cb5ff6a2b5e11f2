#include "run/strip_run.hpp"

#include <algorithm>
#include <optional>

#include "core/rows.hpp"
#include "core/strip_scope.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {
// A picture with fewer samples stays in the caches between the steps anyway.
constexpr std::size_t kLeastSamples = 1 << 18;
// A strip of this many samples stays in the second-level cache together with its results. Where the margins are wide,
// strips are at least kMarginTimes as high as the margins: computing margins twice would cost more than the cache
// saves.
constexpr int kStripSamples = 1 << 17, kMarginTimes = 24;

// The height of the strips: about `wanted` rows, with an even number of strips so that two threads finish at the same
// time. A picture lower than that is still cut in two, as long as each half is at least an eighth of `wanted`, since
// the margins, which are computed twice, are then small beside it. The number of threads plays no part: where the cuts
// lie changes the rounding, and the result must not depend on the threads.
int even_strip(int height, int wanted) {
  const int pairs = height / (2 * wanted), strips = pairs > 0 ? 2 * pairs : height >= wanted / 4 ? 2 : 1;
  return (height + strips - 1) / strips;
}
}  // namespace

StripRun::StripRun(std::span<const Step> steps, const ConstView& in) : white_level_(in.white_level) {
  if (in.shape.samples() < kLeastSamples) return;
  Shape shape = in.shape;
  for (Step step : steps) {
    // The picture that the first step measures is at hand; that of a later step does not exist yet.
    if (steps_.empty()) {
      if (std::shared_ptr<const void> known = step.description->measured(step.fields.get(), in)) step.fields = known;
    }
    const auto margin = step.description->strip_margin(step.fields.get());
    const Shape result = step.description->result_shape(step.fields.get(), shape);
    if (!margin || result.width != shape.width || result.height != shape.height) break;
    shape = result;
    white_level_ = step.description->result_white_level(step.fields.get(), white_level_);
    shapes_.push_back(shape);
    for (int& m : margins_) m += *margin;
    margins_.push_back(0);
    steps_.push_back(std::move(step));
  }
}

void StripRun::operator()(const ConstView& in, const View& out) const {
  const int height = in.height(),
            strip = even_strip(height,
                               std::max({1, kStripSamples / std::max(1, in.width()), kMarginTimes * margins_.front()}));
  // Where the result goes back into the input's memory, its rows are in the cache already.
  const bool stream = rows::streams(out.shape.samples()) && in.data != out.data;
  SpareRoom room;
  parallel_rows(
      height, RowCost(in.shape.samples() / static_cast<std::size_t>(height), 16),
      [&](int first, int last) {
        const StripScope scope(room);
        // The rows that exist before step i: those of the strip and the margin that the remaining steps need around it.
        const auto top = [&](std::size_t i) { return std::max(0, first - margins_[i]); };
        const auto bottom = [&](std::size_t i) { return std::min(height, last + margins_[i]); };
        Image current;
        for (std::size_t i = 0; i < steps_.size(); ++i) {
          checkpoint();
          const ConstView rows_before =
              i == 0 ? in.part({0, top(0), in.width(), bottom(0) - top(0)})
                     : current.view().part({0, top(i) - top(i - 1), current.width(), bottom(i) - top(i)});
          current = steps_[i](rows_before);
        }
        const std::size_t end = steps_.size() - 1;
        for (int c = 0; c < out.shape.channels; ++c) {
          for (int y = first; y < last; ++y)
            rows::copy(current.row(y - top(end), c), out.row(y, c), static_cast<std::size_t>(out.width()), stream);
        }
      },
      strip);
}

}  // namespace sieve::internal
