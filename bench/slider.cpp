// How long a hand waits on the live page: from a move of a slider to the picture in a browser, frames while it is
// dragged, and the first picture of a still page. Usage: slider [--large]; needs chromium and chromium-driver.

#define DOCTEST_CONFIG_IMPLEMENT
#include <fmt/format.h>

#include <thread>

#include "../tests/browser.hpp"
#include "../tests/support.hpp"
#include "scene.hpp"
#include "sieve/page.hpp"

namespace {

using namespace sieve;

struct Waited {
  double median = 0, worst = 0, frames = 0, loaded = 0;
};

// Fifty moves of the first slider one after the other, then two seconds of a drag.
Waited moves(const Image& in, const std::string& chain, int from, double by, bool one_to_one) {
  page::LiveSetup setup;
  setup.inputs.push_back({"in.png", in});
  setup.chain = Chain::parse(chain);
  page::Live live(std::move(setup));
  const std::jthread serving([&](const std::stop_token& stop) { live.serve(stop); });
  test::Browser browser;
  browser.open(live.address());
  browser.wait("performance.getEntriesByName('first-picture').length");
  const double loaded = browser.value("performance.getEntriesByName('first-picture')[0].startTime");
  browser.wait("document.querySelector('#figures [data-slot]')");
  if (one_to_one) browser.keys("1");
  std::this_thread::sleep_for(std::chrono::seconds(2));
  const auto result = browser.promised(fmt::format(R"((async () => {{
    const slider = document.querySelector('.card input[type=range]'), waited = [];
    const pause = ms => new Promise(r => setTimeout(r, ms));
    const move = i => {{ slider.value = {} + i * {}; slider.dispatchEvent(new Event('input')); }};
    const seen = () => performance.getEntriesByName('slider-to-picture');
    for (let i = 0; i < 50; ++i) {{
      performance.clearMeasures();
      move(i);
      while (!seen().length) await pause(1);
      waited.push(seen()[0].duration);
      await pause(5);
    }}
    performance.clearMeasures();
    const start = performance.now();
    for (let i = 0; performance.now() - start < 2000; ++i) {{ move(i % 50); await pause(16); }}
    return [waited, seen().length / 2];
  }})())",
                                                   from, by));
  auto waited = result[0].get<std::vector<double>>();
  std::sort(waited.begin(), waited.end());
  return {waited[waited.size() / 2], waited.back(), result[1], loaded};
}

double first_picture(const Image& in) {
  page::Page still("sweep");
  page::Runs runs{{{"sigma", {}}}, {}, "sharpness", 3};
  for (int i = 0; i < 12; ++i) {
    page::Picture p{fmt::format("sigma={}", i), Gaussian{.sigma = 0.4F + 0.2F * static_cast<float>(i)}(in)};
    runs.axes[0].values.push_back(fmt::format("{}", i));
    runs.pictures.push_back(still.add(std::move(p)));
  }
  still.set(runs);
  const test::Folder folder;
  test::put(folder / "sweep.html", still.html());
  test::Browser browser;
  std::vector<double> all;
  for (int i = 0; i < 5; ++i) {
    browser.open("file://" + (folder / "sweep.html"));
    browser.wait("performance.getEntriesByName('first-picture').length");
    all.push_back(browser.value("performance.getEntriesByName('first-picture')[0].startTime"));
  }
  std::sort(all.begin(), all.end());
  return all[2];
}

}  // namespace

int main(int argc, char** argv) {
  doctest::Context context;
  context.setAsDefaultForAssertsOutOfTestCases();
  const Image small(bench::scene().view().part({900, 500, 768, 512}));
  const auto tell = [](const char* what, const Waited& w) {
    fmt::print("{:48} median {:5.1f} ms, worst {:6.1f} ms, {:4.1f} frames a second; loaded in {:.0f} ms\n", what,
               w.median, w.worst, w.frames, w.loaded);
  };
  tell("768x512 color, gaussian then unsharp", moves(small, "gaussian then unsharp", 300, 5, false));
  tell("768x512 color, median radius=3", moves(small, "median radius=3", 150, 2, false));
  fmt::print("{:48} {:5.0f} ms\n", "still page of a sweep of 12, first picture", first_picture(small));
  if (argc > 1 && std::string(argv[1]) == "--large") {
    const Image large = Pad{.right = 160, .bottom = 840, .border = Border::mirror}(bench::scene());
    tell("4000x3000 color at 1:1, gaussian then unsharp", moves(large, "gaussian then unsharp", 300, 5, true));
    tell("4000x3000 color at 1:1, median radius=3", moves(large, "median radius=3", 150, 2, true));
  }
  return 0;
}
