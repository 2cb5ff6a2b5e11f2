#include "run/device_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>
#include <vector>

#include "core/memory.hpp"
#include "run/measured.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/random.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve {

Device::~Device() = default;
DevicePlan Device::plan(std::span<const Step>, const Shape&) const { return {}; }

namespace internal {

namespace {

// A step with what it finds out in the picture that it gets.
Step settled(const Step& step, const ConstView& in) {
  const std::shared_ptr<void> known = step.about->settled(step.fields.get(), in);
  return known ? Step{step.about, known} : step;
}

// The steps from `first` on that run together, and where; `in` is what the first one is settled by.
struct DevicePart {
  std::vector<Step> steps;
  bool there;
};
DevicePart part_from(const Device& device, const std::vector<SetStep>& all, std::size_t first, const ConstView& in) {
  const auto takes = [&](std::size_t i) { return device.takes(all[i].step, all[i].in); };
  DevicePart part{{settled(all[first].step, in)}, false};
  part.there = device.takes(part.steps[0], all[first].in);
  if (!part.there) part.steps[0] = all[first].step;
  // What a step finds out on processors is known only when the one before is done.
  while (first + part.steps.size() < all.size() && takes(first + part.steps.size()) == part.there)
    part.steps.push_back(all[first + part.steps.size()].step);
  return part;
}

// A picture for settings to be found in, which a plan has none of: steps and grain.
Image made_up(const Shape& like) {
  constexpr int kSide = 64;
  Image image(std::min(like.width, kSide), std::min(like.height, kSide), like.channels);
  for (int c = 0; c < like.channels; ++c) {
    const RandomStream grain(1, static_cast<std::uint64_t>(c));
    for (int y = 0; y < image.height(); ++y) {
      for (int x = 0; x < image.width(); ++x) {
        const int step = x / 16;
        image.at(x, y, c) =
            static_cast<float>(0.25 * step + 0.1 * grain.uniform(static_cast<std::uint64_t>(y * kSide + x)));
      }
    }
  }
  return image;
}

}  // namespace

void DeviceParts::run_on_device(std::span<const Step> steps, std::size_t first, const ConstView& in, const View& out) {
  try {
    // A chain of points may run in place: what fails in the middle must leave processors the picture as it was.
    Image apart = processors_too && in.data == out.data ? unfilled(in.shape, in.white_level) : Image();
    DeviceFigures f = device.run(steps, in, apart.empty() ? out : apart.view(), figures);
    copy_alpha(in, apart.empty() ? out : apart.view());
    if (!apart.empty()) copy(apart.view(), out);
    f.first = first;
    for (std::size_t i = 0; i < f.steps.size(); ++i) {
      const Step& s = steps[i];
      f.steps[i].text = s.about->text(s.fields.get());
      f.steps[i].meaning = s.about->meaning(s.fields.get());
      f.steps[i].shape = in.shape;
      if (notes != nullptr) f.steps[i].notes = std::exchange(*notes, {});
      report.steps.push_back(f.steps[i]);
    }
    report.device.push_back(std::move(f));
  } catch (const InvalidArgument&) {
    throw;
  } catch (const Error& e) {
    if (!processors_too) throw;
    note(fmt::format("{}; processors did it instead", e.what()));
    processors(steps, in, out);
  }
}

void DeviceParts::run(const Schedule& schedule, const ConstView& in, const View& out) {
  const std::vector<SetStep>& all = schedule.steps();
  ConstView current = in;
  Image held;
  for (std::size_t i = 0; i < all.size();) {
    checkpoint();
    const DevicePart part = part_from(device, all, i, current);
    const std::size_t next = i + part.steps.size();
    if (part.there) note_measured(all[i].step, part.steps[0]);
    Image made;
    View to = out;
    if (next < all.size()) {
      made = unfilled(all[next - 1].out, all[next - 1].white_out);
      to = made.view();
    }
    if (part.there) {
      run_on_device(part.steps, i, current, to);
    } else {
      processors(part.steps, current, to);
    }
    held = std::move(made);
    current = held.view();
    current.white_level = all[next - 1].white_out;
    i = next;
  }
}

Plan plan_with_device(const Device& device, const Schedule& schedule, int threads) {
  const std::vector<SetStep>& all = schedule.steps();
  Plan plan;
  plan.needs = {0, 0, schedule.in().width, schedule.in().height};
  std::size_t before = 0;
  for (std::size_t i = 0; i < all.size();) {
    const DevicePart part = part_from(device, all, i, made_up(all[i].in));
    const std::size_t next = i + part.steps.size(), last = next - 1;
    const std::size_t result = next < all.size() ? all[last].out.samples() * sizeof(float) : 0;
    std::size_t own = 0;
    if (part.there) {
      PlannedPass p;
      p.way = Way::device;
      p.first = i;
      p.count = part.steps.size();
      p.result_bytes = result;
      p.device = device.plan(part.steps, all[i].in);
      plan.passes.push_back(std::move(p));
    } else {
      Plan here =
          Schedule(part.steps, all[i].in, i == 0 ? schedule.white_in() : all[i - 1].white_out).plan(nullptr, threads);
      for (PlannedPass& p : here.passes) {
        p.first += i;
        plan.passes.push_back(std::move(p));
      }
      plan.passes.back().result_bytes = result;
      own = here.bytes;
    }
    plan.bytes = std::max(plan.bytes, before + own + result);
    before = result;
    i = next;
  }
  for (const SetStep& s : all) plan.steps.push_back(s.step.about->text(s.step.fields.get()));
  return plan;
}

}  // namespace internal
}  // namespace sieve
