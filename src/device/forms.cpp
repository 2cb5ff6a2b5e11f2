#include "device/forms.hpp"

#include <algorithm>
#include <utility>

namespace sieve::internal::device {

int reach_of(const std::vector<Pass>& passes) {
  long long rows = 0;
  for (const Pass& p : passes) {
    // What is wrapped around may be any row.
    if (p.reach > 0 && p.border == Border::wrap) return Work::kWhole;
    rows += p.reach;
  }
  return static_cast<int>(rows);
}

void run_in_turn(Bench& bench, const std::vector<Pass>& passes, const Planes& from, const Planes& to) {
  const Planes* last = &from;
  Planes between;
  for (std::size_t i = 0; i < passes.size(); ++i) {
    if (i + 1 == passes.size()) {
      bench.run(passes[i], {last}, {&to});
      return;
    }
    Planes next = bench.spare(from.count());
    bench.run(passes[i], {last}, {&next});
    between = std::move(next);
    last = &between;
  }
}

void on_finite(Bench& bench, const std::function<Planes(const Planes& finite)>& work) {
  Planes in = bench.spare();
  {
    const Planes zero = bench.spare();
    bench.set_to_zero(zero);
    bench.combine("v - v == 0 ? v : w", {}, bench.picture(), zero, in);
  }
  const Planes made = work(in);
  bench.combine("w - w == 0 ? v : w", {}, made, bench.picture(), in);
  bench.become(std::move(in));
}

Work in_turn(std::vector<Pass> passes) {
  Work w;
  w.reach = reach_of(passes);
  w.passes = std::move(passes);
  w.run = [all = w.passes](Bench& bench) {
    for (const Pass& p : all) bench.replace(p);
  };
  return w;
}

const Forms& all_forms() {
  static const Forms& forms = *new Forms([] {
    Forms all;
    add_points(all);
    add_windows(all);
    add_denoisers(all);
    add_transforms(all);
    add_measured(all);
    add_restorers(all);
    return all;
  }());
  return forms;
}

std::optional<Work> work_of(const Step& step, const Shape& in) {
  const void* fields = step.fields.get();
  if (const auto* make = all_forms().find(step.about)) return (*make)(fields, in);
  if (step.about->measures(fields)) return std::nullopt;
  DeviceForm form = step.about->device_form(fields);
  if (form.kind == DeviceForm::Kind::none) return std::nullopt;
  if (form.kind == DeviceForm::Kind::point)
    return Work{.point = Point{.text = std::move(form.text), .numbers = std::move(form.numbers)}, .run = {}};
  Pass p{.file = "", .kernel = "own"};
  p.reach = form.radius;
  p.border = step.about->border_of(fields).value_or(Border::edge);
  p.operations = 4.0 * (2 * form.radius + 1) * (2 * form.radius + 1);
  p.form = std::move(form);
  return in_turn({std::move(p)});
}

}  // namespace sieve::internal::device
