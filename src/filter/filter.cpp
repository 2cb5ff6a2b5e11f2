#include "sieve/filter/filter.hpp"

#include "sieve/core/watch.hpp"

namespace sieve {

Image Filter::operator()(const ConstView& in) const {
  about().check(held_->fields());
  checkpoint();
  return held_->run(in);
}

void Filter::set(std::string_view parameter, std::string_view text, const Resources& resources) {
  // On a copy first: a value that is refused leaves the filter as it was.
  std::unique_ptr<Any> trial = held_->copy();
  about().set(const_cast<void*>(trial->fields()), parameter, text, resources);
  held_ = std::move(trial);
}

std::string Filter::get(std::string_view parameter) const { return about().parameter(parameter).get(held_->fields()); }

}  // namespace sieve
