// The fuzz targets' own cases, some of each in every run of the tests: random steps against their plain definitions and
// on samples that are not finite, measures against their laws, and files whose lengths, checksums and compression are
// right.

#include <malloc.h>

#include <chrono>
#include <cstring>
#include <stop_token>
#include <thread>

#include "../fuzz/built_files.hpp"
#include "../fuzz/random_measures.hpp"
#include "../fuzz/read_again.hpp"
#include "sieve/io.hpp"
#include "sieve/reference.hpp"
#include "support.hpp"

using namespace sieve;

namespace {

std::vector<std::uint8_t> random_bytes(std::uint64_t seed) {
  std::vector<std::uint8_t> bytes(400);
  const RandomStream random(seed, 5);
  for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] = static_cast<std::uint8_t>(256 * random.uniform(i));
  return bytes;
}

struct Case {
  Image in;
  std::optional<Filter> filter;  // nothing where the settings do not go together
};

Case random_case(std::uint64_t seed, int largest, fuzz::Samples samples) {
  const auto raw = random_bytes(seed);
  fuzz::Bytes bytes(raw);
  Case c{fuzz::random_picture(bytes, largest, samples), {}};
  try {
    c.filter = fuzz::random_filter(bytes, fuzz::second_of(c.in));
  } catch (const InvalidArgument&) {
  }
  return c;
}

// The result, or nothing where the filter and the picture do not go together.
std::optional<Image> result_of(const Case& c) {
  try {
    return (*c.filter)(c.in);
  } catch (const InvalidArgument& e) {
    CHECK(std::string(e.what()).find(':') != std::string::npos);
    return std::nullopt;
  }
}

}  // namespace

TEST_CASE("random steps with random settings are near their plain definitions") {
  const reference::Definitions& definitions = reference::Definitions::standard();
  int compared = 0;
  for (std::uint64_t seed = 0; seed < 400; ++seed) {
    const Case c = random_case(seed, 9, fuzz::Samples::usual);
    if (!c.filter) continue;
    CAPTURE(seed);
    CAPTURE(c.filter->text());
    const auto fast = result_of(c);
    if (!fast) continue;
    CHECK(test::not_finite(*fast) == 0);
    const auto plain = definitions.plain(*c.filter, c.in);
    if (!plain || !fuzz::comparable(*c.filter, c.in, *fast) || !fuzz::comparable(*c.filter, c.in, *plain)) continue;
    // Tolerances are stated for usual settings: amounts of hundreds raise roundings, and mistakes lie far beyond.
    const reference::Agreement held = definitions.agreement(*c.filter, *fast, *plain);
    CHECK(held.same_shape);
    CHECK(held.deviation <= 100 * held.tolerance);
    ++compared;
  }
  CHECK(compared > 250);
}

TEST_CASE("random steps on samples that are not finite, enormous or tiny: an end, and the same from an engine") {
  int ran = 0;
  for (std::uint64_t seed = 5000; seed < 5600; ++seed) {
    const Case c = random_case(seed, 24, fuzz::Samples::odd);
    if (!c.filter) continue;
    CAPTURE(seed);
    CAPTURE(c.filter->text());
    const auto once = result_of(c);
    if (!once) continue;
    CHECK(once->shape() == c.filter->result_shape(c.in.shape()));
    CHECK(identical(*once, Engine::standard().run(Chain{*c.filter}, c.in).image));
    ++ran;
  }
  CHECK(ran > 400);
}

TEST_CASE("measures of random pictures: their laws hold, and a second run gives the same") {
  int ran = 0;
  for (std::uint64_t seed = 0; seed < (test::sanitized ? 120 : 600); ++seed) {
    CAPTURE(seed);
    const auto raw = random_bytes(seed + 40000);
    const auto figures = [&] {
      fuzz::Bytes bytes(raw);
      return fuzz::random_measure(bytes);
    };
    try {
      const fuzz::Figures first = figures(), again = figures();
      REQUIRE(first.size() == again.size());
      CHECK(std::memcmp(first.data(), again.data(), 8 * first.size()) == 0);
      ++ran;
    } catch (const InvalidArgument& e) {
      CHECK(std::string(e.what()).find(':') != std::string::npos);
    } catch (const fuzz::Broken& e) {
      FAIL_CHECK(e.what());
    }
  }
  CHECK(ran > (test::sanitized ? 60 : 300));
}

TEST_CASE("an engine whose work is stopped, or late, at any moment: a word of it or the right result, then as before") {
  Engine engine;
  int stopped = 0, ended = 0;
  for (std::uint64_t seed = 7000; seed < 7160; ++seed) {
    const Case c = random_case(seed, 120, fuzz::Samples::usual);
    if (!c.filter) continue;
    CAPTURE(seed);
    CAPTURE(c.filter->text());
    const RandomStream random(seed, 2);
    const auto moment = std::chrono::microseconds(static_cast<int>(2000 * random.uniform(0) * random.uniform(1)));
    std::stop_source stop;
    RunOptions options;
    std::jthread stopper;
    // A quarter ends in time on any machine, a quarter never begins.
    if (seed % 2 == 0) {
      options.deadline = seed % 4 == 0 ? std::chrono::minutes(5) : moment + std::chrono::microseconds(1);
    } else if (seed % 4 == 1) {
      stop.request_stop();
      options.stop = stop.get_token();
    } else {
      options.stop = stop.get_token();
      stopper = std::jthread([&stop, moment] {
        std::this_thread::sleep_for(moment);
        stop.request_stop();
      });
    }
    try {
      const Image image = engine.run(*c.filter, c.in, options).image;
      CHECK(identical(image, (*c.filter)(c.in)));
      ++ended;
    } catch (const Canceled& e) {
      CHECK((e.by() == Canceled::By::deadline) == (seed % 2 == 0));
      ++stopped;
      if (stopped % 8 != 0) continue;
      if (const auto expected = result_of(c)) CHECK(identical(engine.run(*c.filter, c.in).image, *expected));
    } catch (const InvalidArgument&) {
    }
  }
  CHECK(stopped > 20);
  CHECK(ended > 20);
}

TEST_CASE("files whose lengths, checksums and compression are right: a picture that can be written, or an error") {
  using Build = fuzz::File (*)(fuzz::Bytes&);
  const std::pair<std::string, Build> kinds[] = {{"png", fuzz::built_png},
                                                 {"tiff", fuzz::built_tiff},
                                                 {"jpeg", fuzz::built_jpeg},
                                                 {"pnm", fuzz::built_pnm},
                                                 {"npy", fuzz::built_npy}};
  for (const auto& [kind, build] : kinds) {
    CAPTURE(kind);
    int read = 0, refused = 0;
    for (std::uint64_t seed = 0; seed < 500; ++seed) {
      CAPTURE(seed);
      const auto raw = random_bytes(seed + 90000);
      fuzz::Bytes bytes(raw);
      const fuzz::File file = build(bytes);
      // Fresh memory is full of that byte, which must not get into the image.
      const auto decoded = [&](int fill) {
        ::mallopt(M_PERTURB, fill);
        return io::decode(file.data(), file.size(), "built", {.pixels = 1 << 16, .file_bytes = 1 << 20});
      };
      try {
        const io::Loaded in = decoded(0x11);
        CHECK(identical(in.image, decoded(0xee).image));
        CHECK(in.image.shape().pixels() <= 1 << 16);
        CHECK(in.image.channels() >= 1);
        CHECK(in.image.channels() <= 4);
        CHECK(fuzz::lost_again(in, raw[0]) == "");
        ++read;
      } catch (const Error& e) {
        CHECK(std::string(e.what()).find("built") != std::string::npos);
        ++refused;
      }
    }
    ::mallopt(M_PERTURB, 0);
    // Both ends are reached.
    CHECK(read > 10);
    CHECK(refused > 10);
  }
}
