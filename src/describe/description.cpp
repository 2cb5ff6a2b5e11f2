#include "sieve/describe/description.hpp"

#include <fmt/format.h>

namespace sieve {

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
    if (full || v != p.standard) s += " " + p.name + "=" + one_word(v);
  }
  return s;
}

Image FilterDescription::run(const void* filter, const ConstView& in) const {
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
  const Image result = run_(filter, in);
  if (result.shape() != out.shape) {
    throw InvalidArgument(fmt::format("{}: its description says that {} becomes {}, and it made {}: give it a shape()",
                                      name, text_of(in.shape).text, text_of(out.shape).text,
                                      text_of(result.shape()).text));
  }
  sieve::copy(result, out);
}

void FilterDescription::check_buffers(const void* filter, const ConstView& in, const View& out) const {
  require_input(in, name.c_str());
  const Shape needed = result_shape(filter, in.shape);
  if (access_ == Access::point) {
    require_output_or_same(in, out, needed, name.c_str());
  } else {
    require_output(in, out, needed, name.c_str());
  }
}

std::optional<int> FilterDescription::reach(const void* filter) const {
  return reach_ && !measures(filter) ? reach_(filter) : std::nullopt;
}

std::shared_ptr<void> FilterDescription::measured(const void* filter, const ConstView& in) const {
  return measured_ ? measured_(filter, in) : nullptr;
}

std::optional<int> FilterDescription::strip_margin(const void* filter) const {
  if (undivided_ && undivided_(filter)) return std::nullopt;
  if (border_) {
    const Border b = border_(filter);
    if (b == Border::wrap || b == Border::inside || b == Border::full) return std::nullopt;
  }
  return reach(filter);
}

std::vector<Stage> FilterDescription::stages(const void* filter, const ConstView& in) const {
  return stages_ ? stages_(filter, in) : std::vector<Stage>();
}

const std::vector<Border>& internal::picture_borders() {
  static const std::vector<Border> all = {Border::edge, Border::mirror, Border::reflect, Border::wrap};
  return all;
}

const std::vector<Border>& internal::window_borders() {
  static const std::vector<Border> all = {Border::edge, Border::mirror, Border::reflect,
                                          Border::wrap, Border::zero,   Border::constant};
  return all;
}

}  // namespace sieve
