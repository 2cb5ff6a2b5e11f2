// Known values, the plain definition on odd sizes, and what must not happen.
#define DOCTEST_CONFIG_IMPLEMENT_WITH_MAIN
#include <doctest/doctest.h>

#include <cmath>
#include <limits>

#include "sieve/reference.hpp"
#include "sieve/sieve.hpp"
#include "soft_knee.hpp"

using namespace sieve;
using skeleton::SoftKnee;

namespace {

// Levels from -0.5 to 2, the same on every machine.
Image levels(int width, int height, int channels) {
  Image image(width, height, channels);
  const RandomStream random(5);
  std::uint64_t i = 0;
  for (int c = 0; c < channels; ++c) {
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) image.at(x, y, c) = static_cast<float>(2.5 * random.uniform(i++) - 0.5);
    }
  }
  return image;
}

}  // namespace

TEST_CASE("known values: below the knee nothing changes, above it 1 is never passed") {
  Image in(4, 1);
  in.at(0, 0) = 0.5F;
  in.at(1, 0) = 0.75F;
  in.at(2, 0) = 1;  // 1 - 0.25^2 / 0.5
  in.at(3, 0) = 1e6F;
  const Image out = SoftKnee{.knee = 0.75}(in);
  CHECK(out.at(0, 0) == 0.5F);
  CHECK(out.at(1, 0) == 0.75F);
  CHECK(out.at(2, 0) == 0.875F);
  CHECK(out.at(3, 0) <= 1);
}

TEST_CASE("the fast way is the definition: odd sizes, gray and color, alpha as it was") {
  reference::Definitions definitions;
  definitions.add<SoftKnee>(2e-7, skeleton::plain);
  for (const Shape& shape : {Shape{1, 1, 1}, Shape{17, 3, 3}, Shape{300, 301, 4}}) {
    const Image in = levels(shape.width, shape.height, shape.channels);
    for (const double knee : {0.0, 0.3, 0.99}) {
      const SoftKnee f{.knee = knee};
      const Image fast = f(in), slow = *definitions.plain(f, in);
      const Comparison q = compare(fast, slow);
      CHECK(q.maximum_deviation <= *definitions.tolerance(f));
      if (shape.has_alpha()) CHECK(identical(fast.view().channel(3), in.view().channel(3)));
    }
  }
}

TEST_CASE("NaN stays, a wrong call says what is allowed, and a chain reads it") {
  Image in(3, 1);
  in.at(1, 0) = std::numeric_limits<float>::quiet_NaN();
  CHECK(std::isnan(SoftKnee{}(in).at(1, 0)));
  CHECK_THROWS_AS(SoftKnee{.knee = 2}(in), InvalidArgument);
  Catalogue mine = Catalogue::standard();
  mine.add<SoftKnee>();
  CHECK(Chain::parse("soft_knee knee=0.5 then invert", mine).text() == "soft_knee knee=0.5 then invert");
  CHECK(mine.search("shoulder").front() == "soft_knee");
}
