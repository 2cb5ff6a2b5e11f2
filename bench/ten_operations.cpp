// One of ten main operations on a small fixed picture, for counting its instructions: scripts/instructions runs it.

#include <cstdio>
#include <functional>
#include <map>
#include <string>

#include "measure.hpp"
#include "sieve/filter.hpp"
#include "sieve/pack.hpp"

namespace {

std::function<void()> work;

}  // namespace

// What is counted: nothing before it and nothing after.
extern "C" [[gnu::noinline]] void measured_operation() { work(); }

int main(int argc, char** argv) {
  using namespace sieve;
  static const char* const chains[] = {"convolve kernel=1,2,3/4,5,6/7,8,9",
                                       "gaussian sigma=2",
                                       "median radius=2",
                                       "equalize",
                                       "guided strength=0.1",
                                       "nonlocal_means noise=0.1 search=5",
                                       "low_pass",
                                       "wiener psf=gaussian:sigma=2",
                                       "wavelet_shrink noise=0.1"};
  std::map<std::string, std::function<void(const Image&)>> all;
  for (const char* text : chains) {
    const Chain chain = Chain::parse(text);
    all[chain.steps()[0].about().name] = [chain](const Image& in) { (void)chain(in); };
  }
  all["pack"] = [](const Image& in) { (void)pack(in, {.by = PackBy::wavelet, .quality = 60}); };
  if (argc != 2 || !all.contains(argv[1])) {
    for (const auto& [name, run] : all) std::puts(name.c_str());
    return argc == 1 ? 0 : 2;
  }
  set_threads(1);
  const Image in = Gaussian{.sigma = 1.5F}(bench::noise(256, 256));
  const auto& run = all[argv[1]];
  run(in);  // plans and tables are made once
  work = [&] { run(in); };
  measured_operation();
}
