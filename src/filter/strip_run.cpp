#include "filter/strip_run.hpp"

#include <algorithm>
#include <optional>

#include "core/rows.hpp"
#include "core/strip_scope.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

namespace {
// Below it a picture stays in the caches as it is.
constexpr std::size_t kLeastSamples = 1 << 18;
// A strip of so many samples and what comes of it stay in the second cache; where the margins are wide, what is done
// twice there weighs more than the cache.
constexpr int kStripSamples = 1 << 17, kMarginTimes = 24;

// About `wanted` rows to a strip and an even number of strips, so that two threads end together; two also where the
// picture is not so high, as long as margins are small beside them. The number of threads has no say: results must not
// depend on it.
int even_strip(int height, int wanted) {
  const int pairs = height / (2 * wanted), strips = pairs > 0 ? 2 * pairs : height >= wanted / 4 ? 2 : 1;
  return (height + strips - 1) / strips;
}
}  // namespace

StripRun::StripRun(std::span<const Filter> steps, const ConstView& in) {
  if (in.shape.samples() < kLeastSamples) return;
  Shape shape = in.shape;
  for (const Filter& f : steps) {
    // What the first step is to measure lies before us; what a later one is to measure is not there yet.
    std::optional<Filter> known = steps_.empty() ? f.measured(in) : std::nullopt;
    const Filter& step = known ? *known : f;
    const auto needs = step.strip_needs(shape);
    if (!needs) break;
    shape = needs->result;
    shapes_.push_back(shape);
    for (int& m : margins_) m += needs->margin;
    margins_.push_back(0);
    steps_.push_back(step);
  }
}

void StripRun::operator()(const ConstView& in, const View& out) const {
  const int height = in.height(),
            strip = even_strip(height,
                               std::max({1, kStripSamples / std::max(1, in.width()), kMarginTimes * margins_.front()}));
  // Over the input itself the rows are in the cache already.
  const bool stream = rows::streams(out.shape.samples()) && in.data != out.data;
  SpareRoom room;
  parallel_rows(
      height, in.shape.samples() / static_cast<std::size_t>(height) * 16,
      [&](int first, int last) {
        const StripScope scope(room);
        // The rows that are there before each step: the strip's and those that the steps to come need around it.
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

}  // namespace sieve
