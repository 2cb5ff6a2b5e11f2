#pragma once
/// How a filter or a chain is run: with which threads and memory, into which buffer, on which part, and until when.

#include <chrono>
#include <concepts>
#include <cstddef>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/run/device.hpp"
#include "sieve/run/plan.hpp"
#include "sieve/run/report.hpp"

namespace SIEVE_EXPORT sieve {

/// What an engine may use.
struct EngineOptions {
  /// Threads of its own, the calling one among them; 0: one for each processor.
  int threads = 0;
  /// Bytes that a run may take beyond source and result; 0: no limit. Memory that was used is kept for the next run, up
  /// to this (256 MiB without a limit).
  std::size_t memory = 0;
  /// Runs the steps that it takes, on whole pictures; null: processors run all. See LeanSieve::device.
  std::shared_ptr<Device> device = nullptr;
  /// Where the device fails, processors do its part, with a note; else that is an Error.
  bool device_or_processors = false;
};

/// What one call wants.
struct RunOptions {
  /// Where the result goes, of the result's (or the part's) shape; without it the result is a picture of its own. For a
  /// chain of point filters it may be exactly the source.
  View out = {};
  /// This part of the result alone: only what it depends on is worked out.
  std::optional<Rectangle> part = {};
  /// Ends the work soon after a stop was asked for.
  std::stop_token stop = {};
  /// Ends the work after so much time; 0: never.
  std::chrono::nanoseconds deadline = std::chrono::nanoseconds(0);
  /// Hears the share of the work that is done, rising, from any thread; 1 once, at the end. To know how the time will
  /// be shared out, every step is tried first on a small part of a picture of a quarter of a million samples and more.
  std::function<void(double share)> progress = {};
  /// Hears every step's result, a picture of the engine's that lasts as long as the call: the steps then run one after
  /// the other on the whole picture. The result is the same bit for bit.
  std::function<void(std::size_t step, const ConstView& result)> on_step = {};
  /// Fills the steps of the report: time, range, samples outside 0..1, notes. The result is the same bit for bit.
  bool figures = false;
};

/// What a run gave.
struct Run {
  Image image;    ///< the result; none where it went into RunOptions::out
  Report report;  ///< what was done
};

/// Runs filters and chains, with threads and memory of its own: two engines do not disturb each other, and the host's
/// other threads are not held back. One engine may be used from several threads at once. Keep one for as long as
/// pictures come: what it has learned of a chain and a shape (its plan, its memory) serves the next call, and from the
/// second call on a chain of point and window filters with fixed parameters, into a buffer, takes no memory at all.
///
///     sieve::Engine engine{{.threads = 2}};
///     engine.run(chain, frame, {.out = result});
class Engine {
 public:
  /// InvalidArgument where threads is below 0.
  explicit Engine(EngineOptions options = {});
  ~Engine();
  Engine(const Engine&) = delete;
  Engine& operator=(const Engine&) = delete;

  /// Runs a filter struct, a Filter or a Chain. Errors: those of the filter; InvalidArgument for a buffer or part that
  /// does not fit; Error where the plan needs more memory than the engine has, before work begins; Canceled after a
  /// stop or at the deadline, with `out` partly written.
  template <class F>
  Run run(const F& filter, const ConstView& in, const RunOptions& options = {}) {
    return run_step(step_of(filter), in, options);
  }
  /// What run() would do with a picture of that shape and white level.
  template <class F>
  [[nodiscard]] Plan plan(const F& filter, const Shape& in, std::uint32_t white_level = 0,
                          const RunOptions& options = {}) const {
    return plan_step(step_of(filter), in, white_level, options);
  }
  /// The seconds that run() will take, about: its steps are tried on a part of at most 192x192 pixels from the middle
  /// of the picture, and their time grows with its size. What takes more than in proportion (exact decompositions) will
  /// take longer, and what stops early in one place alone is not foreseen. Errors: those of the fields and the shape.
  template <class F>
  [[nodiscard]] double expected_seconds(const F& filter, const ConstView& in) {
    return expected_seconds_of_step(step_of(filter), in);
  }
  /// The number of its threads.
  int threads() const;
  /// The engine of calls that name none.
  static Engine& standard();

 private:
  struct Parts;
  struct Shared {};
  explicit Engine(Shared);
  template <class F>
  static Step step_of(const F& filter) {
    if constexpr (requires {
                    { filter.step() } -> std::same_as<Step>;
                  }) {
      return filter.step();
    } else {
      // Borrowed for the call.
      return {&description_of<F>(), std::shared_ptr<const void>(std::shared_ptr<const void>(), &filter)};
    }
  }
  Run run_step(const Step& filter, const ConstView& in, const RunOptions& options);
  double expected_seconds_of_step(const Step& filter, const ConstView& in);
  Plan plan_step(const Step& filter, const Shape& in, std::uint32_t white_level, const RunOptions& options) const;

  std::unique_ptr<Parts> parts_;
};

}  // namespace sieve
