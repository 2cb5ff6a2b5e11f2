#pragma once
// The figures of a report, gathered strip by strip.

#include <chrono>
#include <limits>
#include <mutex>
#include <span>
#include <vector>

#include "describe/row_run.hpp"
#include "sieve/run/report.hpp"

namespace sieve::internal {

// One step's, of some samples.
struct StepFigures {
  SampleFigures samples;
  double seconds = 0;
};
// What is gathered of a pass.
enum class Hearing {
  every_step,      // all figures
  range_of_result  // the range of what the last step gives, and the number of its samples
};
// Adds n samples: all figures, or but their range and number.
void add_samples(SampleFigures& to, const float* samples, std::size_t n);
void add_range(SampleFigures& to, const float* samples, std::size_t n);
// The smallest and largest finite sample; +infinity and -infinity where there is none.
struct Range {
  float low = std::numeric_limits<float>::infinity(), high = -std::numeric_limits<float>::infinity();
};
Range range_of(const SampleFigures& figures);
// Adds those of a view's color channels.
void add_samples(SampleFigures& to, const ConstView& view);
// Adds what was gathered elsewhere.
void add_figures(StepFigures& to, const StepFigures& other);

// Those of all steps of a pass; several threads add to it.
class FigureBook {
 public:
  FigureBook(std::size_t steps, Hearing hearing) : hearing_(hearing), steps_(steps) {}
  Hearing hearing() const { return hearing_; }
  void add(std::span<const StepFigures> steps);
  const std::vector<StepFigures>& steps() const { return steps_; }

 private:
  Hearing hearing_;
  std::mutex mutex_;
  std::vector<StepFigures> steps_;
};

// Those of one piece of a picture, in one thread. Margins that another piece has, too, are not counted twice.
class PieceFigures : public RowRun::Listener {
 public:
  PieceFigures(const FigureBook& book, const Rectangle& piece)
      : steps_(book.steps().size()), piece_(piece), range_alone_(book.hearing() == Hearing::range_of_result) {
    last_alone = range_alone_;
  }
  // The operations that are heard next are those of the steps from that one on.
  void at(std::size_t first_step) { first_ = first_step; }
  void begin() override {
    if (!range_alone_) since_ = Clock::now();
  }
  void hear(std::size_t operation, const float* samples, std::size_t n, int x, int y) override;
  // A step other than one of operations on rows gave `result`, whose first pixel is at x, y.
  void hear(const ConstView& result, int x, int y);
  std::span<const StepFigures> steps() const { return steps_; }

 private:
  using Clock = std::chrono::steady_clock;
  std::vector<StepFigures> steps_;
  Rectangle piece_;
  bool range_alone_;
  std::size_t first_ = 0;
  Clock::time_point since_;
};

}  // namespace sieve::internal
