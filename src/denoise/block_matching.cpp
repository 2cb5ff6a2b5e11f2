#include "sieve/denoise/block_matching.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/finite.hpp"
#include "denoise/block_lanes.hpp"
#include "denoise/block_pass.hpp"
#include "denoise/block_singular.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/spatial/frame.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, BlockEffort>> ChoiceNames<BlockEffort>::all() {
  static constexpr std::pair<const char*, BlockEffort> names[] = {
      {"fast", BlockEffort::fast}, {"normal", BlockEffort::normal}, {"high", BlockEffort::high}};
  return names;
}

std::span<const std::pair<const char*, BlockTransform>> ChoiceNames<BlockTransform>::all() {
  static constexpr std::pair<const char*, BlockTransform> names[] = {{"cosine", BlockTransform::cosine},
                                                                     {"singular", BlockTransform::singular}};
  return names;
}

std::string TextValue<NoiseSpectrum>::text(const NoiseSpectrum& s) {
  if (s.automatic()) return "auto";
  return s.is_white() ? "white" : s.is_measured() ? "measured" : TextValue<SharedImage>::text(s.sample());
}
NoiseSpectrum TextValue<NoiseSpectrum>::parse(std::string_view s, const Resources& r) {
  if (s == "auto") return {};
  if (s == "white") return NoiseSpectrum::white();
  if (s == "measured") return NoiseSpectrum::measured();
  try {
    return NoiseSpectrum::of(TextValue<SharedImage>::parse(s, r));
  } catch (const Error& e) {
    throw InvalidArgument(fmt::format("{}; allowed: {}", e.what(), allowed()));
  }
}

namespace {

// Differences of color whose noise is as strong as that of the channels, since the rows are orthonormal.
constexpr double kOpponent[3][3] = {{0.5773502691896258, 0.5773502691896258, 0.5773502691896258},
                                    {0.7071067811865476, 0, -0.7071067811865476},
                                    {0.4082482904638631, -0.8164965809277261, 0.4082482904638631}};

// Turned: from the differences to the channels.
Image colors_turned(const ConstView& in, bool turned) {
  Image out(Shape{in.width(), in.height(), 3});
  parallel_rows(in.height(), 3 * static_cast<std::size_t>(in.width()), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int c = 0; c < 3; ++c) {
        const float* from[] = {in.row(y, 0), in.row(y, 1), in.row(y, 2)};
        const auto weight = [&](int k) { return static_cast<float>(turned ? kOpponent[k][c] : kOpponent[c][k]); };
        const float a = weight(0), b = weight(1), d = weight(2);
        float* r = out.row(y, c);
        for (int x = 0; x < in.width(); ++x) r[x] = a * from[0][x] + b * from[1][x] + d * from[2][x];
      }
    }
  });
  return out;
}

// A gray picture for each of several channels.
Image gray_for_all(const ConstView& gray, int channels) {
  Image out(Shape{gray.width(), gray.height(), channels});
  for (int c = 0; c < channels; ++c) copy(gray.channel(0), out.view().channel(c));
  return out;
}

// The color channels as the planes that are worked on.
Image planes_of(ConstView in) {
  in.shape.channels = in.shape.color_channels();
  return in.shape.channels == 3 ? colors_turned(in, false) : Image(in);
}

constexpr float kLevel = 1 / 255.0F, kHard = 2.7F;

// What is left to itself, as effort and noise have it.
GroupOptions chosen(const BlockMatching& f, GroupOptions o) {
  o.side = f.block.value_or(o.side);
  o.group = f.group.value_or(o.group);
  o.search = f.search.value_or(o.search);
  o.step = std::min(f.step.value_or(o.step), o.side);
  return o;
}

struct Passes {
  GroupOptions first, second;
};
Passes passes_of(const BlockMatching& f, float noise) {
  const bool strong = noise > 35 * kLevel;
  const auto square = [](float v) { return v * v; };
  // The bounds of what is alike are Lebrun's; within the noise itself (what is left of it, in the second pass) no
  // difference means anything.
  const int group = strong ? 32 : 16;
  GroupOptions first{8, group, 19, 4, (strong ? 5000.0F : 2500.0F) * square(kLevel), 2 * square(noise)},
      second{8, group, 19, 4, (strong ? 3500.0F : 400.0F) * square(kLevel), square(0.15F * noise)};
  // With by=singular they only prepare, as effort=normal does; what is given is meant for the rounds then.
  if (f.by == BlockTransform::singular) return {first, second};
  if (f.effort == BlockEffort::fast) {
    first.step = second.step = 6;
    first.search = second.search = 14;
  } else if (f.effort == BlockEffort::high) {
    first.step = second.step = 2;
    second.group = 32;
  }
  Passes p{chosen(f, first), chosen(f, second)};
  for (GroupOptions* o : {&p.first, &p.second}) o->group = std::min(lanes::kMostGroup, o->group);
  return p;
}

struct Rounds {
  int count;
  GroupOptions groups;
};
Rounds rounds_of(const BlockMatching& f, float noise) {
  // More blocks in stronger noise, and larger ones where time does not count; all are alike, since the nearest are
  // asked for alone.
  constexpr float kAnything = 4;
  const int strength = noise <= 20 * kLevel ? 0 : noise <= 40 * kLevel ? 1 : 2;
  GroupOptions o{6, 60 + 30 * strength, 20, 5, kAnything, 0};
  int count = 2;
  if (f.effort == BlockEffort::fast) {
    count = 1;
    o.step = 6;
  } else if (f.effort == BlockEffort::high) {
    count = 3;
    o.step = 4;
    o.side += strength;
  }
  return {count, chosen(f, o)};
}

// The color channels of a picture of finite samples, after the first pass and after all; where the picture is smaller
// than a block, with what was added to it.
struct Denoised {
  Image basic, result;
};
Denoised denoised(const BlockMatching& f, const ConstView& finite, const BlockNoise& noise) {
  const auto level = static_cast<float>(noise.deviation(0));
  const Passes passes = passes_of(f, level);
  const Rounds rounds = rounds_of(f, level);
  const bool singular = f.by == BlockTransform::singular;
  const int color = finite.shape.color_channels(), side = std::max(passes.first.side, rounds.groups.side),
            right = std::max(0, side - finite.width()), below = std::max(0, side - finite.height());
  Image planes = planes_of(finite);
  if (right > 0 || below > 0) planes = Pad{.right = right, .bottom = below, .border = Border::mirror}(planes);
  // In times of the first pass: the second transforms the guide's blocks, too.
  constexpr double kSecond = 1.3, kRound = 10;
  const int count = singular ? rounds.count : 0;
  Progress progress(1 + kSecond + kRound * count);
  Denoised d;
  d.basic = block_pass(planes, planes.view().channel(0), nullptr, {passes.first, noise, kHard});
  progress.add(1);
  progress.expect(kSecond);
  d.result = block_pass(planes, d.basic.view().channel(0), &d.basic, {passes.second, noise, kHard});
  progress.add(kSecond);
  for (int i = 0; i < count; ++i) {
    progress.expect(kRound);
    const Image made = std::move(d.result);
    const float first = level > 40 * kLevel ? 0.2F : 0.25F;
    d.result =
        singular_round(planes, made, made.view().channel(0), {rounds.groups, noise, i == 0 ? first : 0.1F, i == 0});
    progress.add(kRound);
  }
  if (color == 3) {
    d.basic = colors_turned(d.basic, true);
    d.result = colors_turned(d.result, true);
  }
  return d;
}

BlockNoise noise_of(const BlockMatching& f, const ConstView& in, const ConstView& finite) {
  constexpr double kLeast = 1e-6;
  constexpr int kLeastSide = 16;
  const int color = in.shape.color_channels();
  const auto white = [&] {
    return BlockNoise(color, std::max(kLeast, f.noise ? static_cast<double>(*f.noise) : noise_level(in)));
  };
  const bool small = in.width() < kLeastSide || in.height() < kLeastSide;
  if (f.spectrum.is_white() || (f.spectrum.automatic() && (f.noise || small))) return white();
  BlockNoise n(color, 0);
  if (f.spectrum.sample().empty()) {
    if (small)
      throw InvalidArgument(fmt::format(
          "block_matching: spectrum=measured in a picture of {} by {}: it measures blocks of 8 by 8 and those beside "
          "them; give {} by {} pixels or more, or spectrum=white",
          in.width(), in.height(), kLeastSide, kLeastSide));
    n = BlockNoise::in_flat_parts(planes_of(finite), finite);
    if (n.white()) return white();
  } else {
    const Image& sample = f.spectrum.sample().image("block_matching", "spectrum");
    const int own = sample.shape().color_channels();
    if (sample.width() < kLeastSide || sample.height() < kLeastSide || (own != 1 && own != color))
      throw InvalidArgument(fmt::format(
          "block_matching: the picture of the noise is {}: give one of 16 by 16 pixels or more, gray or with the "
          "channels of the picture ({})",
          text_of(sample.shape()).text, color));
    n = BlockNoise::alone(own == color ? planes_of(sample) : gray_for_all(sample, color));
  }
  if (f.noise) n.set_deviation(static_cast<double>(*f.noise));
  if (n.deviation() < kLeast) return BlockNoise(color, kLeast);
  return n;
}

std::vector<Stage> stages_of_block_matching(const BlockMatching& f, const ConstView& in) {
  const Image finite = map_samples(in, [](float v) { return std::isfinite(v) ? v : 0; });
  const Denoised d = denoised(f, finite, noise_of(f, in, finite));
  const Rectangle all{0, 0, in.width(), in.height()};
  const Image basic(d.basic.view().part(all)), result(d.result.view().part(all));
  ConstView colors = finite.view();
  colors.shape.channels = result.channels();
  std::vector<Stage> stages;
  stages.push_back({"first pass", basic});
  stages.push_back(
      {"taken away", map_pairs(colors, result, [](float a, float b) { return a - b; }), StageContent::differences});
  return stages;
}

std::string note_of(const BlockMatching& f, const BlockNoise& n) {
  std::string line = fmt::format("noise deviation {:.4f}{}", n.deviation(), f.noise ? "" : ", estimated");
  if (n.white()) return line;
  // A quarter of the way up, and three quarters.
  const double low = n.power(0, 1, 1, 8), high = n.power(0, 6, 6, 8);
  return line + fmt::format(", {:.1f} times as strong at low frequencies as at high ones",
                            std::sqrt(low / std::max(high, 1e-12)));
}

}  // namespace

Image BlockMatching::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void BlockMatching::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    const BlockNoise found = noise_of(*this, in, finite);
    if (notes_heard() && (!noise || !found.white())) note(note_of(*this, found));
    const Denoised made = denoised(*this, finite, found);
    for (int c = 0; c < in.shape.color_channels(); ++c)
      copy(made.result.view().channel(c).part({0, 0, in.width(), in.height()}), result.channel(c));
  });
  copy_alpha(in, out);
}

void BlockMatching::describe(Description<BlockMatching>& d) {
  d.called("block_matching", "denoise",
           "Stacks blocks that are alike and keeps what they have in common: the best against even grain, at a price.");
  d.also({"collaborative filtering", "denoise", "grain", "nonlocal", "transform", "low rank", "SVD", "nuclear norm"});
  d.wrong(
      "the noise grows with the light (put anscombe and inverse_anscombe around it), or its strength is given and it "
      "is "
      "alike in neighbors (say spectrum=measured); time is short: guided.");
  d.measures([](const BlockMatching& f) { return !f.noise || f.spectrum.is_measured(); });
  d.stages(stages_of_block_matching);
  d.meaning([](const BlockMatching& f) {
    const float level = f.noise.value_or(0);
    const bool singular = f.by == BlockTransform::singular;
    const GroupOptions o = singular ? rounds_of(f, level).groups : passes_of(f, level).second;
    if (singular) {
      const char* by_noise = !f.noise && !(f.block && f.group) ? ", larger in stronger noise" : "";
      return fmt::format("blocks {0}x{0} every {1} pixels, groups of {2}{3}, from {4}x{4}, {5} rounds", o.side, o.step,
                         o.group, by_noise, 2 * o.search + o.side, rounds_of(f, level).count);
    }
    const bool by_noise = !f.noise && !f.group && f.effort != BlockEffort::high;
    return fmt::format("blocks {0}x{0} every {4} pixels, groups of {1}{2}, from {3}x{3}", o.side,
                       std::bit_floor(static_cast<unsigned>(o.group)), by_noise ? ", of 32 in strong noise" : "",
                       2 * o.search + o.side, o.step);
  });
  d.field("noise", &BlockMatching::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  d.field("by", &BlockMatching::by, "", "singular goes on by singular values: better, and far slower");
  d.field("effort", &BlockMatching::effort, "", "sets what is left to itself below");
  d.field("spectrum", &BlockMatching::spectrum, "",
          "of the noise; auto: measured in flat parts, but white where noise is given");
  d.field("block", &BlockMatching::block, "pixels", "side of the blocks", {4, 16});
  d.field("group", &BlockMatching::group, "blocks",
          "most blocks to a group; by=cosine uses the power of two up to it and 32", {1, 150});
  d.field("search", &BlockMatching::search, "pixels", "half-width of the window that is searched", {1, 50});
  d.field("step", &BlockMatching::step, "pixels", "from one reference block to the next", {1, 16});
}

}  // namespace sieve
