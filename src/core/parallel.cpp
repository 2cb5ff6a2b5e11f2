#include "sieve/core/parallel.hpp"

#include <algorithm>
#include <memory>

#include "core/context.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

namespace {
constexpr std::size_t kStripSamples = 65536;
}  // namespace

int threads() { return context().workers != nullptr ? context().workers->count() : standard_workers()->count(); }

void parallel_rows(int rows, RowCost cost, FunctionRef<void(int, int)> work, int strip) {
  const std::size_t copied_per_row = cost.copied_samples();
  if (rows <= 0) return;
  if (strip <= 0) {
    const std::size_t per_strip = kStripSamples / std::max<std::size_t>(copied_per_row, 1);
    strip = static_cast<int>(std::clamp<std::size_t>(per_strip, 1, static_cast<std::size_t>(rows)));
  }
  const int strips = (rows + strip - 1) / strip;
  Watch* watch = current_watch();
  Progress progress(strips);
  const auto one = [&](int i) {
    if (watch != nullptr) watch->check();
    const Progress::Part part(strips);
    work(i * strip, std::min(rows, (i + 1) * strip));
    progress.add(1);
  };
  const Context here = context();
  const bool small = static_cast<std::size_t>(rows) * copied_per_row <= kStripSamples;
  if (strips == 1 || small || here.alone) {
    for (int i = 0; i < strips; ++i) one(i);
    return;
  }
  const std::shared_ptr<Workers> held = here.workers == nullptr ? standard_workers() : nullptr;
  Workers& workers = held ? *held : *here.workers;
  workers.run(strips, [&](int i) {
    const PieceScope piece(here);
    const Watch::Active active(watch);
    one(i);
  });
  if (here.workspace != nullptr) here.workspace->stock(workers.count());
}

}  // namespace sieve
