#include "sieve/core/watch.hpp"

#include <algorithm>
#include <chrono>

#include "core/context.hpp"
#include "sieve/core/error.hpp"

namespace sieve {

namespace {
thread_local Watch* active_watch = nullptr;
thread_local Progress* innermost = nullptr;
thread_local bool beside_others = false;
thread_local Progress::Phases* listener_to_phases = nullptr;
}  // namespace

Watch::Active::Active(Watch* watch) : before_(active_watch) { active_watch = watch; }
Watch::Active::~Active() { active_watch = before_; }

Watch* current_watch() noexcept { return active_watch; }

bool Watch::late() const noexcept {
  return deadline_ != std::chrono::steady_clock::time_point::max() && std::chrono::steady_clock::now() >= deadline_;
}

void Watch::check() const {
  if (stopped_.load(std::memory_order_relaxed)) throw Canceled();
  if (late()) throw Canceled(Canceled::By::deadline);
  if (outer_ != nullptr) outer_->check();
}

void checkpoint() {
  if (active_watch != nullptr) active_watch->check();
}

bool Watch::hears_progress() const noexcept { return on_progress || (outer_ != nullptr && outer_->hears_progress()); }

bool progress_heard() noexcept {
  return active_watch != nullptr && !internal::context().alone && active_watch->hears_progress();
}

const std::function<void(const std::string&)>* Watch::listener() const noexcept {
  if (on_note) return &on_note;
  return outer_ != nullptr ? outer_->listener() : nullptr;
}

// Notes are of a whole picture, not of one of its pieces.
bool notes_heard() noexcept {
  return active_watch != nullptr && !internal::context().alone && active_watch->listener() != nullptr;
}

void note(const std::string& line) {
  if (notes_heard()) (*active_watch->listener())(line);
}

void Watch::report(double share) {
  if (!on_progress) {
    if (outer_ != nullptr) outer_->report(share);
    return;
  }
  share = std::min(share, 0.999);
  const long long now =
      std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now().time_since_epoch())
          .count();
  long long last = last_.load();
  if (share <= most_.load() || now - last < 50 || !last_.compare_exchange_strong(last, now)) return;
  most_.store(share);
  on_progress(share);
}

void Watch::report_end() {
  if (on_progress) on_progress(1);
}

Progress::Root::Root() noexcept : outer_(innermost), before_(beside_others) {
  innermost = nullptr;
  beside_others = false;
}
Progress::Root::~Root() {
  innermost = outer_;
  beside_others = before_;
}

Progress::Part::Part(int parts) noexcept : before_(beside_others) { beside_others = before_ || parts > 1; }
Progress::Part::~Part() { beside_others = before_; }

Progress::Progress(double total)
    : watch_(beside_others ? nullptr : active_watch), outer_(innermost), total_(total > 0 ? total : 1) {
  if (outer_ != nullptr && !beside_others) phase_ = outer_->phases_begun_++;
  if (listener_to_phases != nullptr && listener_to_phases->outer_ == outer_ && !beside_others)
    listener_to_phases->begins_.push_back(Phases::Clock::now());
  innermost = this;
}

Progress::~Progress() { innermost = outer_; }

void Progress::expect(double parts, std::span<const double> phase_ends) {
  within_ = parts;
  phase_ends_ = phase_ends;
  phases_begun_ = 0;
}

double Progress::overall(double within, std::size_t phase) const {
  if (!phase_ends_.empty()) {
    phase = std::min(phase, phase_ends_.size() - 1);
    const double begin = phase > 0 ? phase_ends_[phase - 1] : 0;
    within = begin + within * (phase_ends_[phase] - begin);
  }
  const double share = std::min(1.0, (done_.load() + within * within_.load()) / total_);
  return outer_ != nullptr ? outer_->overall(share, phase_) : share;
}

Progress::Phases::Phases() : before_(listener_to_phases), outer_(innermost), start_(Clock::now()) {
  listener_to_phases = this;
}
Progress::Phases::~Phases() { listener_to_phases = before_; }

std::vector<double> Progress::Phases::ends() const {
  const double all = std::chrono::duration<double>(Clock::now() - start_).count();
  std::vector<double> ends;
  for (std::size_t i = 1; i < begins_.size(); ++i)
    ends.push_back(std::chrono::duration<double>(begins_[i] - start_).count() / std::max(all, 1e-9));
  ends.push_back(1);
  return ends;
}

void Progress::add(double parts) {
  // Whoever told phases adds alone: the check keeps many threads that add to others from writing here.
  if (!phase_ends_.empty()) phase_ends_ = {};
  if (watch_ == nullptr) return;
  within_ = 1;
  double done = done_.load();
  while (!done_.compare_exchange_weak(done, done + parts)) {
  }
  watch_->report(overall(0, 0));
}

}  // namespace sieve
