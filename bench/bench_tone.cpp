// Point operations and statistics against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

namespace {

// Figures instead of a picture: the buffer stays untouched.
struct Counted {
  int bins;
  void operator()(const ConstView& in, const View&) const {
    benchmark::DoNotOptimize(histogram(in, {.channel = 0, .bins = bins}));
  }
};

}  // namespace

int main(int argc, char** argv) {
  using bench::against_color_copy;
  using bench::against_copy;
  const SharedImage other(bench::noise(3840, 2160));
  against_copy("clip", Clip{});
  against_copy("stretch, range given", Stretch{.low = 0.1F, .high = 0.9F});
  against_copy("stretch, range measured", Stretch{});
  against_copy("stretch, 1 percent off", Stretch{.percent = 1});
  against_copy("absolute", Absolute{});
  against_copy("histogram of 256 bins", Counted{256});
  against_copy("histogram of 1000 bins", Counted{1000});
  against_copy("histogram of 65536 bins", Counted{65536});
  against_copy("equalize", Equalize{});
  against_copy("clahe", Clahe{});
  against_copy("match, float", Match{.with = other});
  against_copy("match_distribution, normal", MatchDistribution{.to = LevelDistribution::parse("normal")});
  against_copy("gamma", Gamma{});
  against_copy("sigmoid", Sigmoid{});
  against_copy("threshold, Otsu", Threshold{});
  against_copy("linearize", Linearize{});
  against_color_copy("to_oklab", ToOklab{});
  against_color_copy("from_oklab", FromOklab{});
  against_color_copy("to_hsv", ToHsv{});
  against_color_copy("from_hsv", FromHsv{});
  against_color_copy("saturate", Saturate{});
  against_color_copy("keep_hue", KeepHue{});
  against_color_copy("white_balance", WhiteBalance{});
  against_color_copy("equalize of color", Equalize{});
  against_color_copy("clahe of color", Clahe{});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
