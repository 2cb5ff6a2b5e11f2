#include "run/device_parts.hpp"

#include <fmt/format.h>

#include <utility>
#include <vector>

#include "core/memory.hpp"
#include "run/measured.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve {

Device::~Device() = default;

namespace internal {

Step DeviceParts::settled(const Step& step, const ConstView& in) const {
  const std::shared_ptr<void> known = step.about->settled(step.fields.get(), in);
  return known ? Step{step.about, known} : step;
}

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
  const auto takes = [&](std::size_t i) { return device.takes(all[i].step, all[i].in); };
  for (std::size_t i = 0; i < all.size();) {
    checkpoint();
    std::vector<Step> together = {settled(all[i].step, current)};
    const bool there = device.takes(together[0], all[i].in);
    if (there) {
      note_measured(all[i].step, together[0]);
    } else {
      together[0] = all[i].step;
    }
    std::size_t next = i + 1;
    // What a step finds out on processors is known only when the one before is done.
    while (next < all.size() && takes(next) == there) together.push_back(all[next++].step);
    Image made;
    View to = out;
    if (next < all.size()) {
      made = unfilled(all[next - 1].out, all[next - 1].white_out);
      to = made.view();
    }
    if (there) {
      run_on_device(together, i, current, to);
    } else {
      processors(together, current, to);
    }
    held = std::move(made);
    current = held.view();
    current.white_level = all[next - 1].white_out;
    i = next;
  }
}

}  // namespace internal
}  // namespace sieve
