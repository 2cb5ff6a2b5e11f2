#include "sieve/core/watch.hpp"

#include <algorithm>
#include <chrono>

#include "sieve/core/error.hpp"

namespace sieve {

namespace {
thread_local Watch* active_watch = nullptr;
thread_local Progress* innermost = nullptr;
thread_local bool beside_others = false;
}  // namespace

Watch::Active::Active(Watch* watch) : before_(active_watch) { active_watch = watch; }
Watch::Active::~Active() { active_watch = before_; }

Watch* current_watch() noexcept { return active_watch; }

void checkpoint() {
  if (active_watch != nullptr && active_watch->stopped()) throw Canceled();
}

bool notes_heard() noexcept { return active_watch != nullptr && active_watch->on_note; }

void note(const std::string& line) {
  if (notes_heard()) active_watch->on_note(line);
}

void Watch::report(double share) {
  if (!on_progress) return;
  const long long now =
      std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now().time_since_epoch())
          .count();
  long long last = last_.load();
  if (share <= most_.load() || now - last < 50 || !last_.compare_exchange_strong(last, now)) return;
  most_.store(share);
  on_progress(std::min(1.0, share));
}

Progress::Part::Part(int parts) noexcept : before_(beside_others) { beside_others = before_ || parts > 1; }
Progress::Part::~Part() { beside_others = before_; }

Progress::Progress(double total)
    : watch_(beside_others ? nullptr : active_watch), outer_(innermost), total_(std::max(total, 1.0)) {
  innermost = this;
}

Progress::~Progress() { innermost = outer_; }

double Progress::overall(double within) const {
  const double share = std::min(1.0, (done_.load() + within * within_.load()) / total_);
  return outer_ != nullptr ? outer_->overall(share) : share;
}

void Progress::add(double parts) {
  if (watch_ == nullptr) return;
  within_ = 1;
  double done = done_.load();
  while (!done_.compare_exchange_weak(done, done + parts)) {
  }
  watch_->report(overall(0));
}

}  // namespace sieve
