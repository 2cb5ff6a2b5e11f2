#include "sieve/run/plan.hpp"

#include <fmt/format.h>

namespace sieve {

namespace {

std::string megabytes(std::size_t bytes) { return fmt::format("{:.1f} MiB", static_cast<double>(bytes) / (1 << 20)); }

const char* measuring(const PlannedPass& p) {
  return p.along ? "measured in the pass before, " : p.measures ? "measures the picture, then " : "";
}

std::string way_of(const PlannedPass& p) {
  switch (p.way) {
    case Way::rows:
      return p.count == 1 ? "by rows" : "in one pass over rows";
    case Way::strips:
      return "by strips";
    case Way::device:
      return fmt::format("on the device, {} of {}, {} of {}, {} of its memory",
                         p.device.strips == 1 ? "one upload" : fmt::format("{} uploads", p.device.strips),
                         megabytes(p.device.bytes_up),
                         p.device.strips == 1 ? "one download" : fmt::format("{} downloads", p.device.strips),
                         megabytes(p.device.bytes_down), megabytes(p.device.memory));
    case Way::whole:
      break;
  }
  return "on the whole picture: " + p.why;
}

}  // namespace

std::string Plan::text() const {
  std::string all;
  for (const PlannedPass& p : passes) {
    std::string names;
    for (std::size_t i = p.first; i < p.first + p.count; ++i) names += (names.empty() ? "" : ", ") + steps[i];
    all += fmt::format("{}. {}: {}{}", &p - passes.data() + 1, names, measuring(p), way_of(p));
    if (p.looked_up > 0)
      all += fmt::format("; {} in a table of the picture's levels", p.looked_up == p.count ? "all" : "the first ones");
    if (p.bytes > 0) all += fmt::format("; takes {}", megabytes(p.bytes));
    if (p.result_bytes > 0) all += fmt::format("; its result {}", megabytes(p.result_bytes));
    all += "\n";
  }
  all += fmt::format("reads {}x{} of the source at {},{}; takes {} beyond source and result", needs.width, needs.height,
                     needs.x, needs.y, bytes > 0 ? megabytes(bytes) : "nothing");
  return all;
}

}  // namespace sieve
