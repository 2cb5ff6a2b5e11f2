#pragma once
/// Stopping long work and hearing how far it is.

#include <atomic>
#include <chrono>
#include <cstddef>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// Watches the work of the threads it is active for. One interface for progress and for cancellation:
///
///     Watch watch;
///     watch.on_progress = [](double share) { ... };   // 0..1, called from any thread, at most about 20 times a second
///     Watch::Active active(watch);                     // from here on, in this thread and the workers it starts
///     Image out = filter(in);                          // throws Canceled soon after watch.stop()
class Watch {
 public:
  /// Hears the share of the work that is done, 0..1, each time a larger one than before: one watch for each piece of
  /// work, since what comes after it begins below the share that was told last. An exception must not leave it.
  std::function<void(double share)> on_progress;
  /// Hears what a filter found out or decided while it ran, a line at a time: "gamma 0.52, because the median is
  /// 0.11". Called in the thread that called the filter. An exception must not leave it.
  std::function<void(const std::string& line)> on_note;

  /// What this one does not hear itself goes to `outer`, and a stop there counts here, too.
  void follow(Watch* outer) noexcept { outer_ = outer; }
  /// Asks the work to end; safe from any thread and from a signal handler.
  void stop() noexcept { stopped_.store(true, std::memory_order_relaxed); }
  /// The work ends by itself at that time.
  void stop_at(std::chrono::steady_clock::time_point deadline) noexcept { deadline_ = deadline; }
  /// True where it is to end, for either reason.
  bool stopped() const noexcept {
    return stopped_.load(std::memory_order_relaxed) || late() || (outer_ != nullptr && outer_->stopped());
  }
  /// Throws Canceled where it is to end.
  void check() const;
  /// Tells on_progress of a share done, if it is time again and more than before, and never of all; what Progress
  /// calls.
  void report(double share);
  /// Tells on_progress that all is done.
  void report_end();
  /// True where it or the one it follows hears progress.
  bool hears_progress() const noexcept;
  /// The function that hears notes, its own or that of the one it follows; null where nobody does.
  const std::function<void(const std::string& line)>* listener() const noexcept;

  /// Makes a watch the current one of this thread for its own lifetime.
  class Active {
   public:
    explicit Active(Watch& watch) : Active(&watch) {}
    explicit Active(Watch* watch);
    ~Active();
    Active(const Active&) = delete;
    Active& operator=(const Active&) = delete;

   private:
    Watch* before_;
  };

 private:
  bool late() const noexcept;

  Watch* outer_ = nullptr;
  std::chrono::steady_clock::time_point deadline_ = std::chrono::steady_clock::time_point::max();
  std::atomic<bool> stopped_{false};
  std::atomic<double> most_{0};
  std::atomic<long long> last_{0};
};

/// The watch that is active in this thread, or null.
[[nodiscard]] Watch* current_watch() noexcept;

/// Throws Canceled where the current watch was asked to stop. Loops of one's own call it now and then.
void checkpoint();

/// True where somebody hears notes: what is measured for a note alone is measured only then.
[[nodiscard]] bool notes_heard() noexcept;

/// True where somebody hears progress.
[[nodiscard]] bool progress_heard() noexcept;

/// Tells the current watch's on_note one line.
void note(const std::string& line);

/// Counts the parts of a long piece of work and tells the current watch. Work within work (the rows of a step of a
/// chain of a sweep) nests by itself: one made while another lives in the same thread counts within the part of the
/// other that is next. Work within a part that runs beside others counts nothing, since its share of the whole is the
/// part's. add() is safe from many threads.
class Progress {
 public:
  /// Stands around work that is a whole of its own to the watch that is made within it.
  class Root {
   public:
    Root() noexcept;
    ~Root();
    Root(const Root&) = delete;
    Root& operator=(const Root&) = delete;

   private:
    Progress* outer_;
    bool before_;
  };

  /// Stands around one of several parts that may run side by side, in whatever thread that is.
  class Part {
   public:
    /// `parts` run side by side; one alone is no different from work outside.
    explicit Part(int parts) noexcept;
    ~Part();
    Part(const Part&) = delete;
    Part& operator=(const Part&) = delete;

   private:
    bool before_;
  };

  /// `total` parts (rows, iterations, steps) are to come.
  explicit Progress(double total);
  ~Progress();
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;
  /// `parts` more are done.
  void add(double parts);
  /// The work that follows within this stands for `parts` parts, up to the next add(); else for one. Where it counts
  /// its own parts several times over, one phase after the other, `phase_ends` says which share of it is done at the
  /// end of each, rising to 1; it must last as long.
  void expect(double parts, std::span<const double> phase_ends = {});

  /// Hears when the phases of the work in this thread begin, for its own lifetime: what expect() wants to know.
  class Phases {
   public:
    Phases();
    ~Phases();
    Phases(const Phases&) = delete;
    Phases& operator=(const Phases&) = delete;
    /// The share of the time since this was made that has passed at the end of each phase; one of 1 where none was
    /// counted.
    std::vector<double> ends() const;

   private:
    friend class Progress;
    using Clock = std::chrono::steady_clock;
    Phases* before_;
    Progress* outer_;
    Clock::time_point start_;
    std::vector<Clock::time_point> begins_;
  };

 private:
  double overall(double within, std::size_t phase) const;
  Watch* watch_;
  Progress* outer_;
  std::size_t phase_ = 0;  // of the outer one's
  double total_;
  std::span<const double> phase_ends_;
  std::size_t phases_begun_ = 0;
  std::atomic<double> done_{0};
  std::atomic<double> within_{1};
};

}  // namespace sieve
