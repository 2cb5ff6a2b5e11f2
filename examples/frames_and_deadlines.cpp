// How a program runs filters: a loop of frames that takes no memory, a slider that works out what is on view alone, and
// a server that answers in time or says that it could not. Usage: frames_and_deadlines IN.png

#include <algorithm>
#include <chrono>
#include <iostream>
#include <stop_token>
#include <string>
#include <vector>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

using namespace std::chrono_literals;

int main(int argc, char** argv) try {
  if (argc != 2) throw sieve::InvalidArgument("usage: frames_and_deadlines IN.png");
  const sieve::Image noon = sieve::io::read(argv[1]).image;

  // A camera's frames, each into the same buffer. Keep the engine: it knows the chain and its memory from the second
  // frame on.
  sieve::Engine engine{{.threads = 2, .memory = std::size_t{512} << 20}};
  const sieve::Chain chain = sieve::Chain::parse("median radius=1 then unsharp sigma=2 then gamma exponent=0.9");
  sieve::Image result(noon.shape());
  for (int frame = 0; frame < 5; ++frame) engine.run(chain, noon, {.out = result});
  std::cout << "5 frames; how each is run:\n" << engine.plan(chain, noon.shape(), noon.white_level()).text() << '\n';

  // A slider: only the part on view, and the last position asked for. A new one stops the one before.
  const sieve::Rectangle view{300, 150, 256, 256};
  sieve::Image on_view(256, 256, 3);
  for (const float sigma : {0.5F, 1.0F, 2.0F}) {
    std::stop_source moved;  // request_stop() from the thread that hears the slider
    engine.run(sieve::Gaussian{.sigma = sigma}, noon, {.out = on_view, .part = view, .stop = moved.get_token()});
  }
  std::cout << "3 positions of a slider, 256x256 of 768x512 worked out for each\n";

  // A server: as much as can be had in time.
  for (const int search : {3, 50}) {
    sieve::NonlocalMeans filter;
    filter.noise = 0.1F;
    filter.search = search;
    try {
      (void)engine.run(filter, noon, {.deadline = search == 3 ? 60s : 20ms});
      std::cout << "search=" << search << ": answered\n";
    } catch (const sieve::Canceled& stopped) {
      std::cout << "search=" << search << ": " << stopped.what() << '\n';
    }
  }

  // What was done, as data; asking changes no bit of the result.
  const sieve::Run told = engine.run(chain, noon, {.figures = true});
  for (const sieve::StepReport& s : told.report.steps) {
    std::cout << s.text << ": " << s.figures.low << " .. " << s.figures.high << ", "
              << s.figures.below + s.figures.above << " samples outside 0..1\n";
  }
  std::cout << (sieve::identical(told.image, result) ? "the same bits with a report and without\n" : "NOT THE SAME\n");
  return 0;
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
