#pragma once
// Which filters run on a device, and how: a table that each family adds its own to.

#include <algorithm>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "device/bench.hpp"
#include "device/work.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::internal::device {

// Nothing where a filter with these fields, or a picture of that shape, is for processors.
using Made = std::optional<Work>;

class Forms {
 public:
  template <class F>
  void add(Made (*make)(const F&, const Shape&)) {
    all_[&description_of<F>()] = [make](const void* f, const Shape& in) { return make(*static_cast<const F*>(f), in); };
  }
  std::vector<std::string> names() const {
    std::vector<std::string> all;
    for (const auto& [about, make] : all_) all.push_back(about->name);
    std::sort(all.begin(), all.end());
    return all;
  }
  const std::function<Made(const void*, const Shape&)>* find(const FilterDescription* about) const {
    const auto it = all_.find(about);
    return it == all_.end() ? nullptr : &it->second;
  }

 private:
  std::map<const FilterDescription*, std::function<Made(const void*, const Shape&)>> all_;
};

const Forms& all_forms();

void add_points(Forms& forms);   // tone, color, arithmetic
void add_windows(Forms& forms);  // spatial, rank, sharpen
void add_denoisers(Forms& forms);
void add_transforms(Forms& forms);
void add_measured(Forms& forms);  // what measures the picture on the device
void add_restorers(Forms& forms);

// Correlation as written; along rows and columns where that is the same. Nothing at borders that change the size.
std::optional<std::vector<Pass>> weighed(const sieve::Kernel& k, Border border, const Real& fill);
// The least or the largest of square windows.
std::vector<Pass> extremes(int radius, bool most, Border border, const Real& fill);
// Farther windows take longer than a running extreme or sum on any processor.
inline constexpr int kFarthestExtreme = 32, kFarthestMean = 128;

inline float number(const Real& r) { return static_cast<float>(r); }
inline std::vector<float> floats(const std::vector<double>& v) { return {v.begin(), v.end()}; }

// The passes one after the other, from some planes to others like them; they may be the same ones.
void run_in_turn(Bench& bench, const std::vector<Pass>& passes, const Planes& from, const Planes& to);
// `work` on the picture with 0 for what is not finite, which stays as it was.
void on_finite(Bench& bench, const std::function<Planes(const Planes& finite)>& work);
// Rows that passes one after the other reach.
int reach_of(const std::vector<Pass>& passes);

}  // namespace sieve::internal::device
