#include "sieve/core/watch.hpp"

#include <algorithm>
#include <chrono>

#include "sieve/core/error.hpp"

namespace sieve {

namespace {
thread_local Watch* active_watch = nullptr;
}

Watch::Active::Active(Watch* watch) : before_(active_watch) { active_watch = watch; }
Watch::Active::~Active() { active_watch = before_; }

Watch* current_watch() noexcept { return active_watch; }

void checkpoint() {
  if (active_watch != nullptr && active_watch->stopped()) throw Stopped();
}

Progress::Progress(double total) : watch_(active_watch), total_(std::max(total, 1.0)) {}

void Progress::add(double parts) {
  double done = done_.load();
  while (!done_.compare_exchange_weak(done, done + parts)) {
  }
  if (watch_ == nullptr || !watch_->on_progress) return;
  const long long now = std::chrono::duration_cast<std::chrono::milliseconds>(
                            std::chrono::steady_clock::now().time_since_epoch())
                            .count();
  long long last = last_.load();
  if (now - last < 50 || !last_.compare_exchange_strong(last, now)) return;
  watch_->on_progress(std::min(1.0, (done + parts) / total_));
}

}  // namespace sieve
