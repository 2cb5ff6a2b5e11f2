#include "sieve/core/parallel.hpp"

#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <exception>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "core/strip_scope.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

namespace {
constexpr std::size_t kStripSamples = 65536;

std::mutex control_mutex;
std::unique_ptr<tbb::global_control> control;

#ifdef __SANITIZE_THREAD__
// oneTBB is built without the thread sanitizer, which then sees races in all that it hands over: here plain threads do
// the work.
void each_range(int strips, const std::function<void(int, int)>& work) {
  std::atomic<int> next = 0;
  std::exception_ptr failure;
  std::mutex failing;
  const auto worker = [&] {
    try {
      for (int i = next++; i < strips; i = next++) work(i, i + 1);
    } catch (...) {
      const std::lock_guard lock(failing);
      failure = std::current_exception();
      next = strips;
    }
  };
  std::vector<std::thread> others;
  for (int i = 1; i < std::min(threads(), strips); ++i) others.emplace_back(worker);
  worker();
  for (std::thread& t : others) t.join();
  if (failure) std::rethrow_exception(failure);
}
#else
template <class Work>
void each_range(int strips, const Work& work) {
  tbb::parallel_for(tbb::blocked_range<int>(0, strips),
                    [&](const tbb::blocked_range<int>& range) { work(range.begin(), range.end()); });
}
#endif
}  // namespace

void set_threads(int n) {
  if (n < 0) throw InvalidArgument("threads=" + std::to_string(n) + ": give 1 or more, or 0 for one per processor");
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

void parallel_rows(int rows, RowCost cost, const std::function<void(int, int)>& work, int strip) {
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
    if (watch != nullptr && watch->stopped()) throw Canceled();
    const Progress::Part part(strips);
    work(i * strip, std::min(rows, (i + 1) * strip));
    progress.add(1);
  };
  const bool small = static_cast<std::size_t>(rows) * copied_per_row <= kStripSamples;
  if (strips == 1 || small || StripScope::room() != nullptr) {
    for (int i = 0; i < strips; ++i) one(i);
    return;
  }
  each_range(strips, [&](int first, int last) {
    const Watch::Active active(watch);
    for (int i = first; i < last; ++i) one(i);
  });
}

}  // namespace sieve
