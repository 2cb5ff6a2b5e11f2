#include "core/workers.hpp"

#include <tbb/info.h>
#include <tbb/parallel_for.h>
#include <tbb/partitioner.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <exception>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

using namespace internal;

struct Workers::Arena {
  explicit Arena(int threads) : arena(threads, 1) {}
  tbb::task_arena arena;
  std::once_flag begun;
  bool alone = false;  // the system gives no threads

#ifdef __SANITIZE_THREAD__
  // oneTBB is built without the thread sanitizer, which then sees races in all that it hands over: here plain threads
  // do the work.
  static void each(int slots, FunctionRef<void()> work) {
    std::vector<std::thread> others;
    for (int i = 1; i < slots; ++i) others.emplace_back([&] { work(); });
    work();
    for (std::thread& t : others) t.join();
  }
#else
  // work() in so many tasks, each of which runs until nothing is left. A thread that waits for the others takes no work
  // of another loop meanwhile.
  void each(int slots, FunctionRef<void()> work) {
    arena.execute([&] {
      tbb::this_task_arena::isolate([&] {
        tbb::parallel_for(
            0, slots, [&](int) { work(); }, tbb::simple_partitioner());
      });
    });
  }
#endif
};

Workers::Workers(int threads)
    : count_(std::clamp(threads > 0 ? threads : tbb::info::default_concurrency(), 1,
                        std::max(1, tbb::info::default_concurrency()))),
      arena_(std::make_unique<Arena>(count_)) {}
Workers::~Workers() = default;

void Workers::run(int parts, FunctionRef<void(int)> work) {
  // The threads come together once, so that a later call need not start them; one that is kept elsewhere is not waited
  // for.
  std::call_once(arena_->begun, [&] {
    constexpr auto kPatience = std::chrono::milliseconds(5);
    std::atomic<int> here = 0;
    const auto end = std::chrono::steady_clock::now() + kPatience;
    try {
      arena_->each(count_, [&] {
        ++here;
        while (here < count_ && std::chrono::steady_clock::now() < end) std::this_thread::yield();
      });
    } catch (const std::exception&) {
      arena_->alone = true;
    }
  });
  if (arena_->alone) {
    for (int i = 0; i < parts; ++i) work(i);
    return;
  }
  std::atomic<int> next = 0;
  std::exception_ptr failure;
  std::mutex failing;
  arena_->each(std::min(parts, count_), [&] {
    try {
      for (int i = next++; i < parts; i = next++) work(i);
    } catch (...) {
      const std::lock_guard lock(failing);
      if (!failure) failure = std::current_exception();
      next = parts;
    }
  });
  if (failure) std::rethrow_exception(failure);
}

namespace {
std::mutex standard_mutex;
// Never destroyed: static objects of the caller may filter while they are destroyed.
std::shared_ptr<Workers>& standard() {
  static auto& workers = *new std::shared_ptr<Workers>();
  return workers;
}
}  // namespace

std::shared_ptr<Workers> internal::standard_workers() {
  const std::lock_guard lock(standard_mutex);
  if (!standard()) standard() = std::make_shared<Workers>(0);
  return standard();
}

void set_threads(int n) {
  if (n < 0) throw InvalidArgument("threads=" + std::to_string(n) + ": give 1 or more, or 0 for one per processor");
  auto workers = std::make_shared<Workers>(n);
  const std::lock_guard lock(standard_mutex);
  standard() = std::move(workers);
}

}  // namespace sieve
