#include "sieve/run/engine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <mutex>
#include <span>
#include <utility>
#include <vector>

#include "core/context.hpp"
#include "core/memory.hpp"
#include "run/device_parts.hpp"
#include "run/measured.hpp"
#include "run/rehearsal.hpp"
#include "run/schedule.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

namespace {

using Clock = std::chrono::steady_clock;

// What is kept of memory that nobody uses, for engines without a limit and for the one that all calls share.
constexpr std::size_t kKept = std::size_t{256} << 20, kKeptByAll = std::size_t{64} << 20;
// Chains whose schedules are kept.
constexpr std::size_t kSchedules = 16;

std::vector<Step> steps_of(const Step& filter) {
  std::vector<Step> steps;
  filter.about->each_step(filter.fields, [&](const Step& s) { steps.push_back(s); });
  return steps;
}

// Schedules of chains that were run, for the next call.
class Schedules {
 public:
  std::shared_ptr<const Schedule> find(const Step& filter, const ConstView& in) {
    const std::lock_guard lock(mutex_);
    for (const auto& s : kept_) {
      if (s->in() == in.shape && s->white_in() == in.white_level && same(*s, filter)) return s;
    }
    return nullptr;
  }
  void keep(const std::shared_ptr<const Schedule>& schedule) {
    const std::lock_guard lock(mutex_);
    if (kept_.size() >= kSchedules) kept_.erase(kept_.begin());
    kept_.push_back(schedule);
  }

 private:
  // A schedule shares the structs of its steps: while it does, none of them is changed in place.
  static bool same(const Schedule& s, const Step& filter) {
    std::size_t i = 0;
    bool all = true;
    filter.about->each_step(filter.fields, [&](const Step& step) {
      all = all && i < s.steps().size() && s.steps()[i].step.fields == step.fields &&
            s.steps()[i].step.about == step.about;
      ++i;
    });
    return all && i == s.steps().size();
  }

  std::mutex mutex_;
  std::vector<std::shared_ptr<const Schedule>> kept_;
};

// The watch of one call, where it wants one of its own.
class CallWatch {
 public:
  CallWatch(const RunOptions& o, std::vector<std::string>* notes) {
    if (!o.stop.stop_possible() && o.deadline.count() <= 0 && !o.progress && notes == nullptr) return;
    watch_.follow(current_watch());
    if (o.progress) {
      root_.emplace();
      watch_.on_progress = o.progress;
    }
    if (notes != nullptr) {
      watch_.on_note = [notes, outer = current_watch()](const std::string& line) {
        notes->push_back(line);
        if (outer != nullptr && outer->listener() != nullptr) (*outer->listener())(line);
      };
    }
    if (o.deadline.count() > 0) watch_.stop_at(Clock::now() + o.deadline);
    if (o.stop.stop_possible()) stop_.emplace(o.stop, Stop{&watch_});
    active_.emplace(watch_);
  }
  void end() { watch_.report_end(); }

 private:
  struct Stop {
    Watch* watch;
    void operator()() const { watch->stop(); }
  };
  Watch watch_;
  std::optional<Progress::Root> root_;
  std::optional<std::stop_callback<Stop>> stop_;
  std::optional<Watch::Active> active_;
};

}  // namespace

struct Engine::Parts {
  Parts(const EngineOptions& o, std::size_t kept, bool keeps_schedules)
      : options(o), workers(o.threads), workspace(kept), keeps(keeps_schedules) {}
  EngineOptions options;
  Workers workers;
  Workspace workspace;
  bool keeps;
  Schedules schedules;

  // A call within a run stays with the threads and the memory of that.
  Context context_for_call() {
    const Context here = internal::context();
    if (!keeps && here.workspace != nullptr) return here;
    return {keeps ? &workers : here.workers, &workspace, here.alone};
  }
  std::shared_ptr<const Schedule> schedule(const Step& filter, const ConstView& in, bool together) {
    if (!together) return std::make_shared<const Schedule>(steps_of(filter), in.shape, in.white_level, false);
    if (!keeps) return std::make_shared<const Schedule>(steps_of(filter), in.shape, in.white_level);
    std::shared_ptr<const Schedule> found = schedules.find(filter, in);
    if (found) return found;
    std::vector<Step> steps = steps_of(filter);
    // A struct that is borrowed for the call may be another one at the same place in the next.
    const bool owned = std::all_of(steps.begin(), steps.end(), [](const Step& s) { return s.fields.use_count() > 0; });
    found = std::make_shared<const Schedule>(std::move(steps), in.shape, in.white_level);
    if (owned) schedules.keep(found);
    return found;
  }
};

namespace {

// One call: its passes one after the other.
class Execution {
 public:
  Execution(const Schedule& schedule, const RunOptions& options, const Context& callers,
            std::vector<std::string>* notes)
      : schedule_(schedule), options_(options), callers_(callers), notes_(notes) {}

  // The result, or nothing where it went into the caller's buffer.
  Image run(const ConstView& in);
  std::vector<StepReport> reports;

 private:
  bool last(std::size_t pass) const { return pass + 1 == schedule_.passes().size(); }
  // A picture that the caller gets: no memory of the engine's.
  Image result(const Shape& shape) const {
    const ContextScope scope(callers_);
    return unfilled(shape, schedule_.white_out());
  }
  // With `range`, the range of the result is found on the way.
  void run_segment(const Pass& pass, const Segment& segment, const Step& first, const ConstView& in, const View& out,
                   const Rectangle* part, Range* range);
  void report(std::size_t step, const Step& as_run, const StepFigures& figures);
  // The first step of a pass with what it measures, in the picture or of its range where that is known.
  Step measured(const Pass& pass, const ConstView& in, const Range& range);

  const Schedule& schedule_;
  const RunOptions& options_;
  const Context& callers_;
  std::vector<std::string>* notes_;
};

Step Execution::measured(const Pass& pass, const ConstView& in, const Range& range) {
  const Step& before = schedule_.steps()[pass.first].step;
  Step after{before.about, pass.along ? before.about->with_range(before.fields.get(), range.low, range.high)
                                      : before.about->measured(before.fields.get(), in)};
  note_measured(before, after);
  return after;
}

void Execution::report(std::size_t step, const Step& as_run, const StepFigures& figures) {
  StepReport r;
  r.text = as_run.about->text(as_run.fields.get());
  r.meaning = as_run.about->meaning(as_run.fields.get());
  r.shape = schedule_.steps()[step].out;
  r.seconds = figures.seconds;
  r.figures = figures.samples;
  if (notes_ != nullptr) r.notes = std::exchange(*notes_, {});
  if (reports.size() <= step) reports.resize(step + 1);
  reports[step] = std::move(r);
}

void Execution::run_segment(const Pass& pass, const Segment& segment, const Step& first, const ConstView& in,
                            const View& out, const Rectangle* part, Range* range) {
  const Rectangle all{0, 0, in.width(), in.height()};
  if (!options_.figures) {
    if (segment.single() && part == nullptr) return first.about->run(first.fields.get(), in, out);
    if (range == nullptr) return segment.run(in, out, part != nullptr ? *part : all, nullptr);
    FigureBook book(pass.count, Hearing::range_of_result);
    segment.run(in, out, all, &book);
    *range = range_of(book.steps().back().samples);
    return;
  }
  const auto start = Clock::now();
  FigureBook book(pass.count, Hearing::every_step);
  segment.run(in, out, part != nullptr ? *part : all, &book);
  // Threads work side by side: their time together is shared out to what passed.
  const double passed = std::chrono::duration<double>(Clock::now() - start).count();
  if (range != nullptr) *range = range_of(book.steps().back().samples);
  double sum = 0;
  for (const StepFigures& s : book.steps()) sum += s.seconds;
  for (std::size_t i = 0; i < pass.count; ++i) {
    StepFigures figures = book.steps()[i];
    figures.seconds *= sum > 0 ? passed / sum : 0;
    report(pass.first + i, i == 0 ? first : schedule_.steps()[pass.first + i].step, figures);
  }
}

Image Execution::run(const ConstView& in) {
  const std::vector<SetStep>& steps = schedule_.steps();
  const Rectangle* const part = options_.part ? &*options_.part : nullptr;
  const Shape whole = schedule_.out(),
              wanted = part != nullptr ? Shape{part->width, part->height, whole.channels} : whole;
  const bool buffered = options_.out.data != nullptr;
  Image made;  // what the caller gets
  const auto target = [&]() -> View {
    if (buffered) return options_.out;
    if (made.empty()) made = result(wanted);
    return made.view();
  };
  if (steps.empty()) {
    copy(part != nullptr ? in.part(*part) : in, target());
    return made;
  }
  std::optional<Rehearsal> shares;
  if (progress_heard() && in.shape.samples() >= kRehearsed) shares.emplace(schedule_, in);
  // The times of steps from `first` on, or their number where nobody listens.
  const auto time_of = [&](std::size_t first, std::size_t count) {
    if (!shares) return static_cast<double>(count);
    double sum = 0;
    for (std::size_t k = first; k < first + count; ++k) sum += shares->steps[k].time;
    return sum;
  };
  Progress progress(time_of(0, steps.size()));
  Image held;   // the picture between two passes
  Range range;  // of that picture, where the next pass needs it
  ConstView current = in;
  for (std::size_t i = 0; i < schedule_.passes().size(); ++i) {
    checkpoint();
    const Pass& pass = schedule_.passes()[i];
    const double share = time_of(pass.first, pass.count);
    // Steps that run together count rows once for all of them.
    progress.expect(share, shares && (pass.count == 1 || pass.measures) ? shares->steps[pass.first].phase_ends
                                                                        : std::span<const double>());
    Step first = steps[pass.first].step;
    std::shared_ptr<const Segment> segment = pass.segment;
    if (pass.measures) {
      first = measured(pass, current, range);
      segment = schedule_.segment(pass, first);
    }
    const bool ends = part == nullptr && (last(i) || (!options_.on_step && schedule_.ends_in_place(i)));
    const bool part_now = last(i) && part != nullptr && segment != nullptr && !options_.on_step;
    const Shape& shape = steps[pass.first + pass.count - 1].out;
    if (segment) {
      Image next;
      if (!ends && !part_now) next = unfilled(shape, steps[pass.first + pass.count - 1].white_out);
      const View to = ends || part_now ? target() : next.view();
      run_segment(pass, *segment, first, current, to, part_now ? part : nullptr,
                  !last(i) && schedule_.passes()[i + 1].along ? &range : nullptr);
      current = to;
      if (!next.empty()) {
        held = std::move(next);
        current = held.view();
      }
    } else {
      const auto start = Clock::now();
      const bool into = ends && buffered;
      if (into) {
        first.about->run(first.fields.get(), current, target());
        current = target();
      } else {
        Image next;
        {
          // What may be the caller's in the end is made as his.
          const ContextScope scope(ends ? callers_ : context());
          next = first.about->run(first.fields.get(), current);
        }
        if (!last(i)) first.about->check_result(first.fields.get(), current.shape, next.shape());
        (ends ? made : held) = std::move(next);
        current = (ends ? made : held).view();
      }
      if (options_.figures) {
        StepFigures figures;
        figures.seconds = std::chrono::duration<double>(Clock::now() - start).count();
        add_samples(figures.samples, current);
        report(pass.first, first, figures);
      }
    }
    current.white_level = steps[pass.first + pass.count - 1].white_out;
    if (options_.on_step) options_.on_step(pass.first, current);
    progress.add(share);
    if (last(i) && part != nullptr && !part_now) copy(current.part(*part), target());
  }
  if (!made.empty()) made.set_white_level(current.white_level);
  return made;
}

void check_call(const Schedule& schedule, const Step& filter, const ConstView& in, const RunOptions& o) {
  const char* who = filter.about->name.c_str();
  Shape shape = schedule.out();
  if (o.part) {
    const Rectangle& r = *o.part;
    if (r.x < 0 || r.y < 0 || r.width < 1 || r.height < 1 || r.width > shape.width - r.x ||
        r.height > shape.height - r.y) {
      throw InvalidArgument(fmt::format("{}: the part {}x{} at {},{} is not inside the result of {}x{}", who, r.width,
                                        r.height, r.x, r.y, shape.width, shape.height));
    }
    shape.width = r.width;
    shape.height = r.height;
  }
  if (o.out.data == nullptr) return;
  (schedule.in_place_from(0) && !o.part ? require_output_or_same : require_output)(in, o.out, shape, who);
  for (const SetStep& s : schedule.steps()) s.step.about->check_second(s.step.fields.get(), o.out);
}

// Refused before work begins: more than `limit` beyond source and result where that is not 0, or more than there is at
// all, which the system would promise and then end the process for.
void check_memory(const Schedule& schedule, const Step& filter, const RunOptions& o, std::size_t limit, int threads) {
  constexpr std::size_t kNoMatter = std::size_t{1} << 26;
  const Shape made = o.part ? Shape{o.part->width, o.part->height, schedule.out().channels} : schedule.out();
  const std::size_t result = o.out.data != nullptr ? 0 : bytes_of(made);
  if (limit == 0 && bytes_of(schedule.largest()) < kNoMatter) return;
  const auto mebibytes = [](std::size_t bytes) { return static_cast<double>(bytes) / (1 << 20); };
  const std::size_t needed =
      schedule.memory(o.part ? &*o.part : nullptr, threads, [](std::size_t, std::size_t, std::size_t) {});
  if (limit > 0 && needed > limit) {
    throw Error(
        fmt::format("{}: {:.0f} MiB are needed beyond source and result, and the engine has {:.0f}: give it more "
                    "memory, fewer threads, or a smaller picture",
                    filter.about->name, mebibytes(needed), mebibytes(limit)));
  }
  if (needed + result > machine_memory()) {
    throw Error(fmt::format(
        "{}: {:.0f} MiB are needed beyond the source for a result of {}x{}, and this machine has "
        "{:.0f}: take a smaller picture or a part of the result",
        filter.about->name, mebibytes(needed + result), made.width, made.height, mebibytes(machine_memory())));
  }
}

}  // namespace

Engine::Engine(EngineOptions options) {
  if (options.threads < 0) {
    throw InvalidArgument(
        fmt::format("engine: threads={}: give 1 or more, or 0 for one per processor", options.threads));
  }
  parts_ = std::make_unique<Parts>(options, options.memory > 0 ? options.memory : kKept, true);
}

Engine::Engine(Shared) : parts_(std::make_unique<Parts>(EngineOptions(), kKeptByAll, false)) {}

Engine::~Engine() = default;

int Engine::threads() const { return parts_->keeps ? parts_->workers.count() : sieve::threads(); }

Engine& Engine::standard() {
  // Never destroyed: static objects of the caller may filter while they are destroyed.
  static Engine& engine = *new Engine{Shared{}};
  return engine;
}

namespace {

// With the device of the engine's options.
Run run_with_device(const EngineOptions& engine, const Schedule& schedule, const ConstView& in,
                    const RunOptions& options, const Context& callers, std::vector<std::string>* notes) {
  Run run;
  Image whole;  // where no buffer of the result's shape was given
  View out = options.out;
  if (out.data == nullptr || options.part) {
    const ContextScope scope(options.part ? context() : callers);
    whole = unfilled(schedule.out(), schedule.white_out());
    out = whole.view();
  }
  const auto on_processors = [&](std::span<const Step> steps, const ConstView& from, const View& to) {
    const Schedule some(std::vector<Step>(steps.begin(), steps.end()), from.shape, from.white_level);
    const RunOptions into{.out = to, .figures = options.figures};
    Execution execution(some, into, callers, notes);
    (void)execution.run(from);
    for (StepReport& r : execution.reports) run.report.steps.push_back(std::move(r));
  };
  DeviceParts parts{*engine.device, engine.device_or_processors, options.figures, on_processors, run.report, notes};
  parts.run(schedule, in, out);
  if (!options.part) {
    run.image = std::move(whole);
    return run;
  }
  if (options.out.data != nullptr) {
    copy(whole.view().part(*options.part), options.out);
  } else {
    const ContextScope scope(callers);
    run.image = Image(whole.view().part(*options.part));
  }
  return run;
}

}  // namespace

Run Engine::run_step(const Step& filter, const ConstView& in, const RunOptions& options) {
  const auto start = Clock::now();
  require_input(in, filter.about->name.c_str());
  const Context callers = context();
  const ContextScope scope(parts_->context_for_call());
  std::vector<std::string> notes;
  CallWatch watch(options, options.figures ? &notes : nullptr);
  const std::shared_ptr<const Schedule> schedule = parts_->schedule(filter, in, !options.on_step);
  check_call(*schedule, filter, in, options);
  check_memory(*schedule, filter, options, parts_->options.memory, threads());
  std::vector<std::string>* const heard = options.figures ? &notes : nullptr;
  if (parts_->options.device && !options.on_step && !schedule->steps().empty()) {
    Run run = run_with_device(parts_->options, *schedule, in, options, callers, heard);
    run.report.seconds = std::chrono::duration<double>(Clock::now() - start).count();
    watch.end();
    return run;
  }
  Execution execution(*schedule, options, callers, heard);
  Run run;
  run.image = execution.run(in);
  run.report.steps = std::move(execution.reports);
  run.report.seconds = std::chrono::duration<double>(Clock::now() - start).count();
  watch.end();
  return run;
}

double Engine::expected_seconds_of_step(const Step& filter, const ConstView& in) {
  require_input(in, filter.about->name.c_str());
  const ContextScope scope(parts_->context_for_call());
  const Rehearsal tried(Schedule(steps_of(filter), in.shape, in.white_level), in);
  double sum = 0;
  for (const Rehearsal::Part& p : tried.steps) sum += p.time;
  return sum / tried.share;
}

Plan Engine::plan_step(const Step& filter, const Shape& in, std::uint32_t white_level,
                       const RunOptions& options) const {
  const Schedule schedule(steps_of(filter), in, white_level);
  if (parts_->options.device && !options.on_step) return plan_with_device(*parts_->options.device, schedule, threads());
  return schedule.plan(options.part ? &*options.part : nullptr, threads());
}

}  // namespace sieve
