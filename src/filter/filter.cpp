#include "sieve/filter/filter.hpp"

#include <fmt/format.h>

#include "sieve/core/watch.hpp"
#include "sieve/filter/chain.hpp"

namespace sieve {

Image Filter::operator()(const ConstView& in) const {
  about().check(held_.get());
  checkpoint();
  return about().run(held_.get(), in);
}

void Filter::operator()(const ConstView& in, const View& out) const {
  about().check(held_.get());
  checkpoint();
  about().run(held_.get(), in, out);
}

void* Filter::own() {
  if (held_.use_count() > 1) held_ = about().copy(held_.get());
  return held_.get();
}

void Filter::set(std::string_view parameter, std::string_view text, const Resources& resources) {
  about().set(own(), parameter, text, resources);
}

std::string Filter::get_full(std::string_view parameter) const {
  const Parameter& p = about().parameter(parameter);
  return p.get_full ? p.get_full(held_.get()) : p.get(held_.get());
}

std::string Filter::get(std::string_view parameter) const { return about().parameter(parameter).get(held_.get()); }

std::optional<Filter> Filter::measured(const ConstView& in) const {
  std::shared_ptr<void> known = about().measured(held_.get(), in);
  if (!known) return std::nullopt;
  return Filter(description_, std::move(known));
}

std::optional<Filter> Filter::with_noise(double deviation) const {
  std::shared_ptr<void> told = about().with_noise(held_.get(), deviation);
  if (const Chain* inner = group(); !told && inner != nullptr && inner->takes_noise()) {
    told = about().copy(held_.get());
    *about().group(told.get()) = inner->with_noise(deviation);
  }
  if (!told) return std::nullopt;
  return Filter(description_, std::move(told));
}

void Filter::set_group(Chain chain) {
  if (group() == nullptr) throw InvalidArgument(fmt::format("{} is no group: it holds no chain", about().name));
  *about().group(own()) = std::move(chain);
}

std::string Filter::text_of(bool full) const {
  if (const Chain* chain = as<Chain>()) return chain->text(full);
  std::string s = about().text(held_.get(), full);
  if (const Chain* inner = group())
    s += " then " + (inner->steps().empty() ? "" : inner->text(full) + " then ") + "end";
  return s;
}

}  // namespace sieve
