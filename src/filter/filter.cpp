#include "sieve/filter/filter.hpp"

#include "sieve/core/watch.hpp"

namespace sieve {

Image Filter::operator()(const ConstView& in) const {
  about().check(held_->fields());
  checkpoint();
  return held_->run(in);
}

std::optional<Filter::StripNeeds> Filter::strip_needs(const Shape& in) const {
  const auto margin = reach();
  if (!margin || !held_->in_strips()) return std::nullopt;
  const Shape result = held_->shape(in);
  if (result.width != in.width || result.height != in.height) return std::nullopt;
  return StripNeeds{*margin, result};
}

void Filter::set(std::string_view parameter, std::string_view text, const Resources& resources) {
  about().set(held_->fields(), parameter, text, resources);
}

std::string Filter::get(std::string_view parameter) const { return about().parameter(parameter).get(held_->fields()); }

}  // namespace sieve
