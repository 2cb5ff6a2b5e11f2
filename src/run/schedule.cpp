#include "run/schedule.hpp"

#include <algorithm>
#include <span>

#include "core/memory.hpp"

namespace sieve::internal {

std::size_t bytes_of(const Shape& s) {
  const auto number = [](int n) { return static_cast<std::uint64_t>(n); };
  return static_cast<std::size_t>(image_bytes(number(s.width), number(s.height), number(s.channels)));
}

namespace {

bool same_place(const SetStep& s) { return s.in.width == s.out.width && s.in.height == s.out.height; }

// Why a step needs the whole picture.
std::string why_whole(const SetStep& s) {
  const FilterDescription& about = *s.step.about;
  const void* fields = s.step.fields.get();
  if (!same_place(s)) return "changes the size";
  if (about.measures(fields)) return "measures the picture while it works";
  if (!about.reach(fields)) return "a sample depends on the whole picture";
  return "the border or the sums of its results lie over the whole picture";
}

}  // namespace

Schedule::Schedule(const std::vector<Step>& steps, const Shape& in, std::uint32_t white_level, bool together)
    : in_(in), largest_(in), white_in_(white_level) {
  steps_.reserve(steps.size());
  for (const Step& s : steps) add(s);
  // One after the other, the steps that can run together.
  for (std::size_t i = 0; i < steps_.size(); ++i) {
    const SetStep& s = steps_[i];
    const void* fields = s.step.fields.get();
    const bool measures = s.step.about->measures(fields) && s.step.about->local_once_measured(fields) && same_place(s);
    const bool local = measures || (s.step.about->part_margin(fields) && same_place(s));
    if (together && local && !measures && !passes_.empty() && passes_.back().why.empty()) {
      ++passes_.back().count;
      continue;
    }
    passes_.push_back({i, 1, measures, false, nullptr, local ? "" : why_whole(s)});
  }
  for (std::size_t i = 0; i < passes_.size(); ++i) {
    Pass& p = passes_[i];
    const SetStep& s = steps_[p.first];
    p.along = p.measures && i > 0 && in_pieces(passes_[i - 1]) && s.step.about->measures_range(s.step.fields.get());
    if (p.why.empty() && !p.measures)
      p.segment = std::make_shared<const Segment>(std::span<const SetStep>(steps_).subspan(p.first, p.count));
  }
}

bool Schedule::in_pieces(const Pass& pass) const {
  return pass.why.empty() && (pass.count > 1 || steps_[pass.first].step.about->row_based());
}

void Schedule::add(const Step& step) {
  const Shape in = out();
  const void* fields = step.fields.get();
  step.about->check(fields);
  steps_.push_back({step, in, step.about->result_shape(fields, in), white_out(),
                    step.about->result_white_level(fields, white_out())});
  if (out().samples() > largest_.samples()) largest_ = out();
}

std::shared_ptr<const Segment> Schedule::segment(const Pass& pass, const Step& measured) const {
  std::vector<SetStep> steps(steps_.begin() + static_cast<std::ptrdiff_t>(pass.first),
                             steps_.begin() + static_cast<std::ptrdiff_t>(pass.first + pass.count));
  steps.front().step = measured;
  return std::make_shared<const Segment>(steps);
}

bool Schedule::in_place_from(std::size_t step) const {
  return std::all_of(steps_.begin() + static_cast<std::ptrdiff_t>(step), steps_.end(),
                     [](const SetStep& s) { return s.step.about->row_based() && s.in == s.out; });
}

bool Schedule::last_by_parts() const { return !passes_.empty() && passes_.back().why.empty(); }

std::size_t Schedule::memory(const Rectangle* part, int threads,
                             FunctionRef<void(std::size_t, std::size_t, std::size_t)> each) const {
  const Rectangle all{0, 0, out().width, out().height};
  std::size_t most = 0, before = 0;  // `before`: of the picture that a pass reads, where it is not the source
  for (std::size_t i = 0; i < passes_.size(); ++i) {
    const Pass& p = passes_[i];
    const bool last = i + 1 == passes_.size();
    const bool whole = !p.segment || p.segment->rows_only() || (p.segment->single() && part == nullptr);
    const std::size_t own = whole ? 0 : p.segment->bytes(last && part != nullptr ? *part : all, threads);
    const bool between = last ? part != nullptr && !last_by_parts() : part != nullptr || !ends_in_place(i);
    const std::size_t result = between ? bytes_of(steps_[p.first + p.count - 1].out) : 0;
    each(i, own, result);
    most = std::max(most, before + own + result);
    before = result;
  }
  return most;
}

Plan Schedule::plan(const Rectangle* part, int threads) const {
  Plan plan;
  const Rectangle all{0, 0, out().width, out().height}, wanted = part != nullptr ? *part : all;
  plan.needs = {0, 0, in_.width, in_.height};
  if (steps_.empty() || (passes_.size() == 1 && passes_[0].segment))
    plan.needs = steps_.empty() ? wanted : passes_[0].segment->needs(wanted);
  for (const SetStep& s : steps_) plan.steps.push_back(s.step.about->text(s.step.fields.get()));
  plan.bytes = memory(part, threads, [&](std::size_t i, std::size_t own, std::size_t result) {
    const Pass& p = passes_[i];
    PlannedPass planned{Way::whole, p.first, p.count, p.measures, p.along, 0, own, result, p.why};
    if (p.why.empty()) {
      const auto first = steps_.begin() + static_cast<std::ptrdiff_t>(p.first);
      const bool rows = std::all_of(first, first + static_cast<std::ptrdiff_t>(p.count),
                                    [](const SetStep& s) { return s.step.about->row_based(); });
      planned.way = rows ? Way::rows : p.segment && p.segment->single() && part == nullptr ? Way::whole : Way::strips;
      if (planned.way == Way::whole) planned.why = "it is alone";
      if (p.segment) planned.looked_up = p.segment->looked_up();
    }
    plan.passes.push_back(std::move(planned));
  });
  return plan;
}

}  // namespace sieve::internal
