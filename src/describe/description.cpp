#include "sieve/describe/description.hpp"

#include <fmt/format.h>

#include "core/memory.hpp"
#include "describe/row_run.hpp"

namespace sieve {

using namespace internal;

FilterDescription::~FilterDescription() = default;

Parameter& FilterDescription::begin_parameter(std::string_view parameter_name, std::string_view unit,
                                              std::string_view help, ParameterRange range) {
  Parameter& p = parameters.emplace_back();
  p.name = parameter_name;
  p.unit = unit;
  p.help = help;
  p.range = range;
  return p;
}

const Parameter& FilterDescription::parameter(std::string_view parameter_name) const {
  std::vector<std::string> names;
  for (const Parameter& p : parameters) {
    if (p.name == parameter_name) return p;
    names.push_back(p.name);
  }
  if (names.empty()) throw InvalidArgument(fmt::format("{}: no parameter '{}'; it takes none", name, parameter_name));
  const std::string near = nearest_name(parameter_name, names);
  throw InvalidArgument(fmt::format("{}: no parameter '{}'{}; it has {}", name, parameter_name,
                                    near.empty() ? "" : fmt::format(", did you mean '{}'", near), listed(names)));
}

void FilterDescription::set(void* filter, std::string_view parameter_name, std::string_view text,
                            const Resources& resources) const {
  const Parameter& p = parameter(parameter_name);
  const std::string before = p.get(filter);
  bool good = false;
  try {
    good = p.set(filter, text, resources);
  } catch (const InvalidArgument& e) {
    throw InvalidArgument(fmt::format("{}: {}", name, e.what()));
  }
  if (!good) {
    const std::string near = nearest_name(text, p.choices);
    throw InvalidArgument(fmt::format("{}: {}={} is not allowed{}: give {}", name, p.name, text,
                                      near.empty() ? "" : fmt::format(" (did you mean '{}'?)", near), p.allowed));
  }
  if (!p.in_range(filter)) {
    p.set(filter, before, resources);  // a value that is refused leaves the field as it was
    throw InvalidArgument(fmt::format("{}: {}={} is out of range: give {}", name, p.name, text, p.allowed));
  }
}

void FilterDescription::check(const void* filter) const {
  for (const Parameter& p : parameters) {
    if (!p.in_range(filter)) {
      throw InvalidArgument(fmt::format("{}: {}={} is out of range: give {}", name, p.name, p.get(filter), p.allowed));
    }
  }
}

std::string FilterDescription::text(const void* filter, bool full) const {
  std::string s = name;
  for (const Parameter& p : parameters) {
    const std::string v = p.get(filter);
    if (full || v != p.standard) s += " " + p.name + "=" + one_word(full && p.get_full ? p.get_full(filter) : v);
  }
  return s;
}

std::shared_ptr<void> FilterDescription::with_noise(const void* filter, double deviation) const {
  if (!with_noise_) return nullptr;
  std::shared_ptr<void> told = copy(filter);
  with_noise_(told.get(), static_cast<float>(deviation));
  return told;
}

void FilterDescription::each_step(const std::shared_ptr<const void>& fields, StepVisitor visit) const {
  if (!each_step_) return visit({this, fields});
  each_step_(fields.get(), [&](const Step& s) { s.about->each_step(s.fields, visit); });
}

RowOperation FilterDescription::row_operation(const void* filter, const Shape& in) const {
  if (!row_operation_) return {};
  if (second_) require_second(second_(filter).image(name.c_str(), "with"), in, name.c_str());
  return row_operation_(filter);
}

Image FilterDescription::run(const void* filter, const ConstView& in) const {
  if (!run_) {
    require_input(in, name.c_str());
    Image out = unfilled(result_shape(filter, in.shape), result_white_level(filter, in.white_level));
    run(filter, in, out.view());
    return out;
  }
  Image result = run_(filter, in);
  result.set_white_level(result_white_level(filter, result.white_level()));
  return result;
}

void FilterDescription::run(const void* filter, const ConstView& in, const View& out) const {
  check_buffers(filter, in, out);
  if (run_into_) {
    run_into_(filter, in, out);
    return;
  }
  if (row_operation_) {
    run_rows(*this, filter, in, out);
    return;
  }
  const Image result = run_(filter, in);
  check_result(filter, in.shape, result.shape());
  sieve::copy(result, out);
}

void FilterDescription::check_result(const void* filter, const Shape& in, const Shape& result) const {
  const Shape said = result_shape(filter, in);
  if (result == said) return;
  throw InvalidArgument(fmt::format("{}: its description says that {} becomes {}, and it made {}: give it a shape()",
                                    name, text_of(in).text, text_of(said).text, text_of(result).text));
}

void FilterDescription::check_buffers(const void* filter, const ConstView& in, const View& out) const {
  require_input(in, name.c_str());
  const Shape needed = result_shape(filter, in.shape);
  if (access_ == Access::point) {
    require_output_or_same(in, out, needed, name.c_str());
  } else {
    require_output(in, out, needed, name.c_str());
  }
  if (second_) require_pair(in, second_(filter).image(name.c_str(), "with"), out, name.c_str());
}

std::optional<int> FilterDescription::reach(const void* filter) const {
  return reach_ && !measures(filter) ? reach_(filter) : std::nullopt;
}

std::shared_ptr<void> FilterDescription::measured(const void* filter, const ConstView& in) const {
  return measured_ ? measured_(filter, in) : nullptr;
}

void FilterDescription::require_runnable() const {
  if (runs()) return;
  throw InvalidArgument(
      fmt::format("{}: nothing says what it does: give the struct a call operator, or its description "
                  "maps_samples(), maps_places(), maps_pairs(), maps_pixels() or maps_windows()",
                  name));
}

void FilterDescription::check_second(const void* filter, const View& out) const {
  if (second_) require_output(second_(filter).image(name.c_str(), "with"), out, out.shape, name.c_str());
}

bool FilterDescription::divided(const void* filter) const {
  if (undivided_ && undivided_(filter)) return false;
  if (!border_) return true;
  const Border b = border_(filter);
  return b != Border::wrap && b != Border::inside && b != Border::full;
}

std::optional<int> FilterDescription::part_margin(const void* filter) const {
  return divided(filter) ? reach(filter) : std::nullopt;
}

bool FilterDescription::local_once_measured(const void* filter) const {
  return measured_ && reach_ && divided(filter) && reach_(filter);
}

std::vector<Stage> FilterDescription::stages(const void* filter, const ConstView& in) const {
  return stages_ ? stages_(filter, in) : std::vector<Stage>();
}

const std::vector<Border>& internal::picture_borders() {
  static const auto& all = *new std::vector<Border>{Border::edge, Border::mirror, Border::reflect, Border::wrap};
  return all;
}

const std::vector<Border>& internal::window_borders() {
  static const auto& all = *new std::vector<Border>{Border::edge, Border::mirror, Border::reflect,
                                                    Border::wrap, Border::zero,   Border::constant};
  return all;
}

}  // namespace sieve
