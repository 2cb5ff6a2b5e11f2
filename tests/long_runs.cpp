// A process that filters all day: what it holds of memory, threads and files settles, and the hundredth result is the
// first.

#include <malloc.h>

#include <filesystem>
#include <fstream>

#include "catalogue.hpp"

using namespace sieve;
using test::noise;

namespace {

// What the process has allocated and not given back, large blocks of the system among it.
std::size_t held() {
  const auto m = mallinfo2();
  return m.uordblks + m.hblkhd;
}

std::size_t entries(const char* folder) {
  return static_cast<std::size_t>(
      std::distance(std::filesystem::directory_iterator(folder), std::filesystem::directory_iterator()));
}

}  // namespace

TEST_CASE("the whole catalogue over and over: memory and threads settle, results stay the same") {
  const Image in = noise(41, 30, 3);
  const auto filters = test::every_filter(in);
  const auto round = [&] {
    std::vector<Image> results;
    for (const Filter& f : filters) {
      try {
        results.push_back(f(in));
      } catch (const InvalidArgument&) {
        results.emplace_back();  // one that wants another picture
      }
    }
    return results;
  };
  const auto first = round();
  for (int i = 0; i < 3; ++i) round();
  const std::size_t settled = held(), threads = entries("/proc/self/task");
  for (int i = 0; i < 10; ++i) {
    const auto again = round();
    REQUIRE(again.size() == first.size());
    for (std::size_t k = 0; k < first.size(); ++k) {
      CAPTURE(filters[k].about().name);
      CHECK(again[k].shape() == first[k].shape());
      if (!first[k].empty()) CHECK(identical(again[k], first[k]));
    }
  }
  CHECK(held() < settled + 100'000);
  CHECK(entries("/proc/self/task") <= threads + 1);
}

TEST_CASE("pictures of ever other sizes: no table grows with their number") {
  const Chain chain = Chain::parse(
      "low_pass then cosine_truncation then wavelet_shrink noise=0.1 then gaussian sigma=9 then convolve "
      "kernel=disk:radius=9 method=fourier then wiener psf=gaussian:sigma=1 noise=0.1 then clahe");
  // No length comes twice, neither across nor down. Two even and two odd ones in turns, primes among them, so that the
  // plans of both halves are alike in size.
  const auto run = [&](int shift) {
    for (int i = 0; i < 150; ++i) {
      const int step = 4 * (i / 2) + i % 2 + shift;
      (void)chain(noise(40 + step, 340 - step));
    }
  };
  run(0);
  const std::size_t settled = held();
  run(2);
  // The plans of a length take about 28 kilobytes (64 of them 1.8 megabytes): 300 more lengths that stayed would be
  // eight megabytes. Those that are kept at the two ends differ by some hundred kilobytes.
  CHECK(held() < settled + 500'000);
}

TEST_CASE("files by the hundred, good and bad: none stays open, no memory is kept") {
  const test::Folder f;
  const Image in = noise(23, 17, 3);
  const std::string names[] = {"a.png", "a.jpg", "a.tif", "a.pfm", "a.ppm", "a.lsv"};
  const auto round = [&] {
    for (const std::string& name : names) {
      const std::string path = f / name, broken = f / ("broken_" + name);
      (void)io::write(path, in);
      CHECK(io::read(path).image.shape().pixels() == in.shape().pixels());
      const std::string bytes = test::contents(path);
      std::ofstream(broken, std::ios::binary) << bytes.substr(0, bytes.size() / 2);
      if (name == "a.lsv") {
        CHECK(io::read(broken).note.find("cut off") != std::string::npos);  // it opens with what is there
      } else {
        CHECK_THROWS_AS(io::read(broken), Error);
      }
    }
    CHECK_THROWS_AS(io::write(f / "none/a.png", in), Error);
    CHECK_THROWS_AS(io::read(f / "none.png"), Error);
  };
  round();
  round();
  const std::size_t settled = held(), open = entries("/proc/self/fd");
  for (int i = 0; i < 60; ++i) round();
  CHECK(entries("/proc/self/fd") == open);
  CHECK(held() < settled + 60'000);
}
