#include "sieve/core/parallel.hpp"

#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <memory>
#include <mutex>
#include <string>

#include "core/strip_scope.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

namespace {
constexpr std::size_t kStripSamples = 65536;

std::mutex control_mutex;
std::unique_ptr<tbb::global_control> control;
}  // namespace

void set_threads(int n) {
  if (n < 0) throw BadCall("threads=" + std::to_string(n) + ": give 1 or more, or 0 for one per processor");
  const std::lock_guard lock(control_mutex);
  control.reset();
  if (n > 0) {
    control = std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism,
                                                    static_cast<std::size_t>(n));
  }
}

int threads() {
  {
    const std::lock_guard lock(control_mutex);
    if (!control) return tbb::this_task_arena::max_concurrency();
  }
  return static_cast<int>(tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism));
}

void parallel_rows(int rows, std::size_t samples_per_row, const std::function<void(int, int)>& work, int strip) {
  if (rows <= 0) return;
  if (strip <= 0) {
    const std::size_t per_strip = kStripSamples / std::max<std::size_t>(samples_per_row, 1);
    strip = static_cast<int>(std::clamp<std::size_t>(per_strip, 1, static_cast<std::size_t>(rows)));
  }
  const int strips = (rows + strip - 1) / strip;
  Watch* watch = current_watch();
  Progress progress(strips);
  const auto one = [&](int i) {
    if (watch != nullptr && watch->stopped()) throw Stopped();
    work(i * strip, std::min(rows, (i + 1) * strip));
    progress.add(1);
  };
  const bool small = static_cast<std::size_t>(rows) * samples_per_row <= kStripSamples;
  if (strips == 1 || small || StripScope::room() != nullptr) {
    for (int i = 0; i < strips; ++i) one(i);
    return;
  }
  tbb::parallel_for(tbb::blocked_range<int>(0, strips), [&](const tbb::blocked_range<int>& range) {
    const Watch::Active active(watch);
    for (int i = range.begin(); i < range.end(); ++i) one(i);
  });
}

}  // namespace sieve
