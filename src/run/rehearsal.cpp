#include "run/rehearsal.hpp"

#include <algorithm>
#include <chrono>

#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {
// A side of the part: large enough to be more than the cost of a call, small enough to be no work beside the picture.
constexpr int kLeast = 64, kMost = 192;
constexpr double kShare = 1.0 / 8;  // of a side of the picture
}  // namespace

Rehearsal::Rehearsal(const Schedule& schedule, const ConstView& in) : steps(schedule.steps().size()) {
  // A stop is heard, but nothing of this is told.
  Watch deaf;
  deaf.follow(current_watch());
  deaf.on_progress = [](double) {};
  deaf.on_note = [](const std::string&) {};
  const Watch::Active active(deaf);
  const Progress::Root root;
  const auto side = [](int n) { return std::min(n, std::clamp(static_cast<int>(kShare * n), kLeast, kMost)); };
  const int w = side(in.width()), h = side(in.height());
  Image current(in.part({(in.width() - w) / 2, (in.height() - h) / 2, w, h}));
  share = static_cast<double>(current.shape().pixels()) / static_cast<double>(in.shape.pixels());
  current.set_white_level(in.white_level);
  double sum = 0;
  std::size_t ran = 0;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const SetStep& s = schedule.steps()[i];
    try {
      using Clock = std::chrono::steady_clock;
      // The first run of a filter pays for more than itself.
      if (s.step.about->access() == Access::whole) (void)s.step.about->run(s.step.fields.get(), current);
      const Progress::Phases phases;
      const auto start = Clock::now();
      Image next = s.step.about->run(s.step.fields.get(), current);
      steps[i].time = std::chrono::duration<double>(Clock::now() - start).count();
      steps[i].phase_ends = phases.ends();
      sum += steps[i].time;
      ++ran;
      current = std::move(next);
    } catch (const Error&) {
      steps[i].time = 0;
    }
  }
  const double mean = ran > 0 ? sum / static_cast<double>(ran) : 1;
  for (Part& p : steps) p.time = p.time > 0 ? p.time : mean;
}

}  // namespace sieve::internal
