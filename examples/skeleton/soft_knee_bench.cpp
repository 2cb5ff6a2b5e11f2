// The operation in turns with a parallel copy of the same picture: the ratio of the medians holds on a noisy machine.
#include <algorithm>
#include <chrono>
#include <iostream>
#include <vector>

#include "sieve/core.hpp"
#include "soft_knee.hpp"

namespace {

template <class Work>
double seconds(Work work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

}  // namespace

int main() {
  const sieve::Image in(3840, 2160);
  sieve::Image out(in.shape());
  const skeleton::SoftKnee filter;
  std::vector<double> copies, runs;
  for (int i = 0; i < 15; ++i) {
    copies.push_back(seconds([&] { sieve::copy(in, out.view()); }));
    runs.push_back(seconds([&] { filter(in, out.view()); }));
  }
  std::cout << "soft_knee, 3840x2160: " << 1e3 * median(runs) << " ms, " << median(runs) / median(copies)
            << " copies\n";
}
