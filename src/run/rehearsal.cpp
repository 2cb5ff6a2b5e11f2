#include "run/rehearsal.hpp"

#include <algorithm>
#include <chrono>

#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {
// Large enough to be more than the cost of a call, small enough to be no work beside the picture.
constexpr int kWidth = 192, kHeight = 144;
}  // namespace

Rehearsal::Rehearsal(const Schedule& schedule, const ConstView& in) : steps(schedule.steps().size()) {
  // A stop is heard, but nothing of this is told.
  Watch deaf;
  deaf.follow(current_watch());
  deaf.on_progress = [](double) {};
  deaf.on_note = [](const std::string&) {};
  const Watch::Active active(deaf);
  const Progress::Root root;
  const int w = std::min(kWidth, in.width()), h = std::min(kHeight, in.height());
  Image current(in.part({(in.width() - w) / 2, (in.height() - h) / 2, w, h}));
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
