#include "run/measured.hpp"

#include <fmt/format.h>

#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve {

void internal::note_measured(const Step& before, const Step& after) {
  if (!notes_heard()) return;
  std::string found;
  for (const Parameter& p : before.about->parameters) {
    const std::string value = p.get(after.fields.get());
    if (value != p.get(before.fields.get())) found += fmt::format("{}{}={}", found.empty() ? "" : ", ", p.name, value);
  }
  if (!found.empty()) note(fmt::format("{}: {}, measured", before.about->name, found));
}

}  // namespace sieve
