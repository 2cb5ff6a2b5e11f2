// Block matching against its definition, by what must hold of it, and by its gain on grain of every kind.

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

TEST_CASE(
    "block matching against its definition: parameters, odd sizes, color; no sample but those of an equal choice") {
  for (const auto& [text, shape] :
       {std::pair<const char*, Shape>{"block_matching noise=0.1", {37, 29, 1}},
        {"block_matching noise=0.3 effort=fast", {41, 23, 3}},
        {"block_matching noise=0.05 block=5 group=7 search=6 step=3", {30, 26, 2}},
        {"block_matching noise=0.2 block=12 group=32 search=9 step=12", {33, 40, 1}},
        {"block_matching noise=0.1 effort=high search=5", {19, 8, 1}},
        {"block_matching noise=0.1", {3, 5, 4}},
        // Every way to share distances: cells of a step, and none.
        {"block_matching noise=0.1 block=4 step=1 search=4", {21, 18, 1}},
        {"block_matching noise=0.1 block=6 step=3 search=7", {29, 31, 1}},
        {"block_matching noise=0.1 block=6 step=4 search=7", {31, 22, 1}},
        {"block_matching noise=0.1 block=16 step=8 search=17", {50, 37, 1}},
        {"block_matching noise=0.1 block=12 step=3 search=50 group=16", {40, 33, 1}},
        {"block_matching", {24, 24, 1}},
        {"block_matching spectrum=measured noise=0.1", {48, 40, 3}},
        {"block_matching by=singular noise=0.1", {26, 31, 1}},
        {"block_matching by=singular effort=high noise=0.25", {22, 19, 3}},
        {"block_matching by=singular effort=fast block=9 group=20 step=7 search=5", {31, 26, 2}},
        {"block_matching by=singular noise=0.1", {4, 1, 1}},
        {"block_matching noise=0.1 group=1", {1, 1, 3}}}) {
    CAPTURE(std::string(text));
    CAPTURE(shape.width);
    const Filter f = Chain::parse(text).steps()[0];
    Image in = noise(shape.width, shape.height, shape.channels);
    // Something that repeats, so that there are groups.
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x)
        in.at(x, y) = 0.5F + 0.3F * std::sin(0.9F * static_cast<float>(x)) + 0.2F * in.at(x, y);
    }
    const auto& definitions = reference::Definitions::standard();
    const Image plain = *definitions.plain(f, in), fast = f(in);
    std::size_t off = 0;
    for (int c = 0; c < in.channels(); ++c) {
      for (int y = 0; y < in.height(); ++y) {
        for (int x = 0; x < in.width(); ++x) off += std::abs(fast.at(x, y, c) - plain.at(x, y, c)) > 1e-5F ? 1 : 0;
      }
    }
    CHECK(off == 0);
    CHECK(definitions.agreement(f, fast, plain).good());
  }
}

TEST_CASE("block matching on slopes: as defined, and as even as the light") {
  const auto sky = [](int width, int height, int channels) {
    Image in(Shape{width, height, channels});
    for (int c = 0; c < channels; ++c) {
      for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x)
          in.at(x, y, c) = 0.2F + 0.003F * static_cast<float>(x) + 0.001F * static_cast<float>((c + 1) * y);
      }
    }
    return in;
  };
  for (const auto& f :
       {BlockMatching{.noise = 0.1F, .search = 8}, BlockMatching{.noise = 0.04F, .block = 5, .group = 9, .search = 7},
        BlockMatching{.noise = 0.2F, .effort = BlockEffort::fast}}) {
    CAPTURE(*f.noise);
    const Image in = GaussianNoise{.deviation = *f.noise, .seed = 2}(sky(41, 34, 3));
    CHECK(deviation(f(in), *reference::Definitions::standard().plain(f, in)) < 1e-5);
  }
  // 54.5 dB; 49 dB with the slope left in, and 58 dB where there is none.
  Image clean(220, 200);
  for (int y = 0; y < 200; ++y) {
    for (int x = 0; x < 220; ++x) clean.at(x, y) = 0.2F + 0.002F * static_cast<float>(x);
  }
  CHECK(psnr(BlockMatching{.noise = 0.04F}(GaussianNoise{.deviation = 0.04F}(clean)), clean) > 53);
}

TEST_CASE("block matching: flat pictures stay flat, NaN and alpha stay, what is clean stays, threads change nothing") {
  const BlockMatching f{.noise = 0.1F};
  Image flat(70, 50);
  flat.fill(0.25F);
  CHECK(deviation(f(flat), flat) < 1e-6);
  // Noise on a flat picture: neither stripes nor a grid; a fortieth of its power is left.
  Image grainy(200, 150);
  const RandomStream random(5);
  for (int y = 0; y < 150; ++y) {
    for (int x = 0; x < 200; ++x)
      grainy.at(x, y) = 0.5F + 0.1F * static_cast<float>(random.normal(static_cast<std::uint64_t>(y * 200 + x)));
  }
  const Image clean = f(grainy);
  // Where all distances are equal, by singular values, too.
  CHECK(deviation(BlockMatching{.noise = 0.1F, .by = BlockTransform::singular, .effort = BlockEffort::fast}(flat),
                  flat) < 1e-5);
  CHECK(statistics(clean)[0].deviation < 0.1 / std::sqrt(40.0));
  Image odd = noise(60, 45, 4);
  odd.at(20, 20, 1) = std::nanf("");
  odd.at(0, 0, 0) = std::numeric_limits<float>::infinity();
  const Image out = f(odd);
  CHECK(std::isnan(out.at(20, 20, 1)));
  CHECK(std::isinf(out.at(0, 0, 0)));
  CHECK(std::isfinite(out.at(21, 20, 1)));
  for (int x = 0; x < 60; ++x) CHECK(out.at(x, 7, 3) == odd.at(x, 7, 3));
  const Image in = noise(300, 200, 3);
  CHECK(deviation(BlockMatching{.noise = 0.0F}(in), in) < 1e-5);
  const Image all = f(in);
  Engine one{{.threads = 1}};
  CHECK(deviation(one.run(f, in).image, all) == 0);
  CHECK_THROWS_AS((BlockMatching{.block = 3}(in)), InvalidArgument);
  CHECK_THROWS_AS((BlockMatching{.group = 151}(in)), InvalidArgument);
  CHECK_THROWS_AS((BlockMatching{.spectrum = NoiseSpectrum::measured()}(Image(15, 40))), InvalidArgument);
  CHECK_THROWS_AS((BlockMatching{.spectrum = NoiseSpectrum::of(noise(20, 20, 3))}(Image(40, 40))), InvalidArgument);
  // Singular values: what is flat or clean stays as well, whatever is lost, on any number of threads.
  const BlockMatching g{.noise = 0.1F, .by = BlockTransform::singular, .effort = BlockEffort::fast};
  CHECK(deviation(g(flat), flat) < 1e-6);
  CHECK(statistics(g(grainy))[0].deviation < 0.1 / std::sqrt(40.0));
  CHECK(std::isnan(g(odd).at(20, 20, 1)));
  CHECK(std::isfinite(g(odd).at(21, 20, 1)));
  CHECK(deviation(one.run(g, odd).image, g(odd)) == 0);
}

TEST_CASE("block matching: singular values gain on cosines; grain is told by its spectrum, from any source") {
  const Image clean = to_gray(test::noon().view().part({300, 100, 200, 160}));
  const auto gain = [&](const BlockMatching& f, const Image& noisy) { return psnr(f(noisy), clean); };
  const float s = 25.0F / 255;
  const Image white = GaussianNoise{.deviation = s, .seed = 4}(clean);
  CHECK(gain({.noise = s, .by = BlockTransform::singular}, white) > gain({.noise = s}, white) + 0.1);
  // What cannot be told from white noise is taken for it.
  CHECK(identical(BlockMatching{.noise = s, .spectrum = NoiseSpectrum::measured()}(white),
                  BlockMatching{.noise = s}(white)));
  const GaussianNoise grain{.deviation = s, .sigma = 1, .seed = 4};
  const Image noisy = grain(clean), alone = grain(map_samples(Image(128, 128), [](float) { return 0.5F; }));
  const double blotchy = gain({.noise = s, .spectrum = NoiseSpectrum::white()}, noisy);
  for (const BlockTransform by : {BlockTransform::cosine, BlockTransform::singular}) {
    const BlockEffort fast = BlockEffort::fast;
    CHECK(gain({.noise = s, .by = by, .effort = fast, .spectrum = NoiseSpectrum::measured()}, noisy) > blotchy + 2);
    CHECK(gain({.by = by, .effort = fast}, noisy) > blotchy + 2);
    CHECK(gain({.by = by, .effort = fast, .spectrum = NoiseSpectrum::of(alone)}, noisy) > blotchy + 2);
  }
  // A gray sample of the noise stands for each channel.
  const Image color(test::noon().view().part({300, 100, 200, 160})), speckled = grain(color);
  const auto left = [&](const NoiseSpectrum& spectrum) {
    return psnr(BlockMatching{.effort = BlockEffort::fast, .spectrum = spectrum}(speckled), color);
  };
  CHECK(left(NoiseSpectrum::of(alone)) > left(NoiseSpectrum::white()) + 1);
  // The noise of colors that went through a JPEG: nearly none in the light, blotches in the differences.
  Image tinted(color);
  for (int c = 0; c < 3; c += 2) {
    const GaussianNoise one{.deviation = 0.08F, .sigma = 1.5F, .seed = 9};
    copy(one(color.view().channel(c)), tinted.view().channel(c));
  }
  CHECK(psnr(BlockMatching{}(tinted), color) >
        psnr(BlockMatching{.spectrum = NoiseSpectrum::white()}(tinted), color) + 1);
}

TEST_CASE("block matching: gray stored as color, a clean picture and noise of one channel are measured without harm") {
  const Image truth = to_gray(test::noon().view().part({300, 100, 160, 120})),
              gray = GaussianNoise{.deviation = 0.05F}(truth);
  Image same(Shape{160, 120, 3}), single(Shape{160, 120, 3});
  single.fill(0.5F);
  for (int c = 0; c < 3; ++c) copy(gray.view().channel(0), same.view().channel(c));
  copy(gray.view().channel(0), single.view().channel(1));
  const Image clean(test::noon().view().part({300, 100, 160, 120}));
  for (const BlockTransform by : {BlockTransform::cosine, BlockTransform::singular}) {
    const BlockMatching f{.by = by, .effort = BlockEffort::fast};
    const Image out = f(same);
    // What all channels have in common has been weighed by the noise of their luma: that of each of them.
    for (int c = 0; c < 3; ++c) CHECK(psnr(out.view().channel(c), truth) > psnr(f(gray), truth) - 1);
    CHECK(statistics(f(single))[0].not_finite == 0);
    CHECK(psnr(f(clean), clean) > 45);
    CHECK(psnr(BlockMatching{.noise = 0.0F, .by = by, .spectrum = NoiseSpectrum::measured()}(clean), clean) > 60);
  }
}
