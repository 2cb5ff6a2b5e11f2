#include "sieve/filter/filter.hpp"

#include "sieve/core/watch.hpp"

namespace sieve {

Image Filter::operator()(const ConstView& in) const {
  about().check(held_->fields());
  checkpoint();
  return held_->run(in);
}

void Filter::set(std::string_view parameter, std::string_view text, const Resources& resources) {
  about().set(held_->fields(), parameter, text, resources);
}

std::string Filter::get(std::string_view parameter) const { return about().parameter(parameter).get(held_->fields()); }

}  // namespace sieve
