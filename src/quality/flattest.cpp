#include "quality/flattest.hpp"

#include <algorithm>
#include <tuple>

namespace sieve::internal {

std::vector<std::size_t> flattest(std::vector<Spot> spots, std::size_t least) {
  constexpr std::size_t kClasses = 8, kShare = 10;
  std::sort(spots.begin(), spots.end(),
            [](const Spot& a, const Spot& b) { return std::tie(a.level, a.place) < std::tie(b.level, b.place); });
  std::vector<std::size_t> places;
  for (std::size_t k = 0; k < kClasses; ++k) {
    const auto at = [&](std::size_t i) {
      return spots.begin() + static_cast<std::ptrdiff_t>(spots.size() * i / kClasses);
    };
    std::sort(at(k), at(k + 1),
              [](const Spot& a, const Spot& b) { return std::tie(a.beside, a.place) < std::tie(b.beside, b.place); });
    const auto size = static_cast<std::size_t>(at(k + 1) - at(k)),
               taken = std::min(size, std::max(least / kClasses, size / kShare));
    for (std::size_t i = 0; i < taken; ++i) places.push_back(at(k)[static_cast<std::ptrdiff_t>(i)].place);
  }
  return places;
}

}  // namespace sieve::internal
