// Samples at the ends of single precision, in every position: no filter, measurement or codec may index, loop or crash
// by them, whatever the values that come out. Run under the address and undefined-behavior sanitizers by a lane.

#include <hwy/targets.h>

#include <cfloat>

#include "catalogue.hpp"
#include "sieve/diagnose.hpp"
#include "sieve/pack.hpp"

using namespace sieve;
using test::noise;

namespace {

constexpr float kInfinite = std::numeric_limits<float>::infinity();
constexpr float kExtremes[] = {FLT_MAX,
                               -FLT_MAX,
                               2e38F,
                               -1e38F,
                               1e-45F,
                               -FLT_MIN / 2,
                               0.0F,
                               -0.0F,
                               kInfinite,
                               -kInfinite,
                               std::numeric_limits<float>::quiet_NaN()};

struct Case {
  std::string name;
  Image image;
  bool dense = false;  // half of the samples are extreme
};

// Calls work() on every instruction set of this processor for dense images, on the best one for others.
template <class Work>
void on_targets(const Case& c, Work work) {
  const std::int64_t all = hwy::SupportedTargets();
  for (std::int64_t rest = c.dense ? all : all & -all; rest != 0; rest &= rest - 1) {
    const std::int64_t target = rest & -rest;
    CAPTURE(target);
    hwy::SetSupportedTargetsForTest(target);
    hwy::GetChosenTarget().Update(target);
    work();
    hwy::SetSupportedTargetsForTest(0);
    hwy::GetChosenTarget().DeInit();
  }
}

// A single extreme sample in the corner and within, every extreme in turn at random places, and nothing but one.
std::vector<Case> extreme_images(int channels) {
  std::vector<Case> all;
  const int w = 45, h = 38;
  const Image clean = noise(w, h, channels, 5);
  for (const float v : kExtremes) {
    Image corner = clean;
    corner.at(0, 0) = corner.at(w / 2, h / 2, channels - 1) = v;
    all.push_back({"one of " + std::to_string(v), std::move(corner)});
  }
  Image mixed = clean, finite = clean;
  for (int c = 0; c < channels; ++c) {
    for (int i = 0; i < w * h; ++i) {
      const int x = i % w, y = i / w;
      if (i % 3 == c % 3) mixed.at(x, y, c) = kExtremes[static_cast<std::size_t>(i / 3) % std::size(kExtremes)];
      if (i % 2 == 0) finite.at(x, y, c) = i % 4 == 0 ? FLT_MAX : -FLT_MAX;
    }
  }
  all.push_back({"every extreme", std::move(mixed), true});
  all.push_back({"largest of both signs", std::move(finite), true});
  for (const float v : {FLT_MAX, -1e38F, 1e-45F}) {
    Image same(w, h, channels);
    same.fill(v);
    all.push_back({"nothing but " + std::to_string(v), std::move(same)});
  }
  return all;
}

// What work() gives is true, or it throws an Error; nothing else may happen.
template <class Work>
void ends(Work work) {
  bool good = true;
  try {
    good = work();
  } catch (const Error&) {
  }
  CHECK(good);
}

// The same where the values are nobody's to judge.
template <class Work>
void ends_somehow(Work work) {
  ends([&] {
    (void)work();
    return true;
  });
}

}  // namespace

TEST_CASE("every filter on extreme samples: a picture or an error") {
  for (const int channels : {1, 3}) {
    for (const Case& c : extreme_images(channels)) {
      CAPTURE(c.name);
      on_targets(c, [&] {
        for (const bool given : {true, false}) {
          for (const Filter& f : test::every_filter(c.image, given)) {
            CAPTURE(f.text());
            ends([&] { return !f(c.image).empty(); });
          }
        }
      });
      for (const char* chain :
           {"wavelet_shrink rule=sure noise=0.1 levels=3", "wavelet_shrink rule=bayes noise=1", "equalize levels=65536",
            "bilateral method=fast range=0.01", "clahe columns=3 rows=2", "threshold by=local", "median radius=9"}) {
        CAPTURE(std::string(chain));
        ends([&] { return !Chain::parse(chain)(c.image).empty(); });
      }
    }
  }
}

TEST_CASE("every measurement on extreme samples: figures or an error") {
  for (const int channels : {1, 3}) {
    for (const Case& c : extreme_images(channels)) {
      CAPTURE(c.name);
      const Image& in = c.image;
      const Image other = noise(in.width(), in.height(), channels, 8);
      on_targets(c, [&] {
        ends([&] { return statistics(in).size() == static_cast<std::size_t>(channels); });
        ends_somehow([&] { return sample_range(in); });
        ends_somehow([&] { return percentile(in, 0.3); });
        for (const int bins : {0, 7, 1024, 100'000}) {
          ends([&] { return histogram(in, {.bins = bins}).total() <= in.shape().pixels(); });
          ends_somehow([&] { return histogram(in, {.channel = luma_channel, .bins = bins}); });
        }
        ends_somehow([&] { return exposure(in); });
        ends_somehow([&] { return noise_level(in); });
        ends_somehow([&] { return compare(in, other); });
        ends_somehow([&] { return compare(other, in); });
        ends_somehow([&] { return flatness(in); });
        ends_somehow([&] { return diagnose(in); });
        ends_somehow([&] { return psf_by_spectrum(in); });
        ends_somehow([&] { return spectrum_image(spectrum(in, Taper::periodic)); });
        ends_somehow([&] { return find_periodic_noise(in); });
      });
    }
  }
}

TEST_CASE("every codec on extreme samples: bytes that decode, or an error") {
  for (const int channels : {1, 3}) {
    for (const Case& c : extreme_images(channels)) {
      CAPTURE(c.name);
      on_targets(c, [&] {
        for (const io::Format format : {io::Format::png, io::Format::jpeg, io::Format::tiff, io::Format::pnm,
                                        io::Format::pfm, io::Format::npy, io::Format::packed}) {
          for (const int bits : {8, 16, 32}) {
            ends([&] {
              const auto bytes = io::encode(format, c.image, {.bits = bits});
              return io::decode(bytes.data(), bytes.size(), "memory").image.shape() == c.image.shape();
            });
          }
        }
        for (const PackBy by : {PackBy::cosine, PackBy::wavelet, PackBy::svd, PackBy::pca}) {
          for (const PackOptions& o : {PackOptions{.by = by}, PackOptions{.by = by, .quality = 100},
                                       PackOptions{.by = by, .psnr = 30}, PackOptions{.by = by, .bytes = 500}})
            ends([&] { return unpack(pack(c.image, o).bytes).image.shape() == c.image.shape(); });
        }
      });
    }
  }
}
