#include "sieve/denoise/block_matching.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/opponent.hpp"
#include "denoise/block_lanes.hpp"
#include "denoise/block_pass.hpp"
#include "denoise/block_singular.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/parallel.hpp"
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

// A gray picture for each of several channels.
Image gray_for_all(const ConstView& gray, int channels) {
  Image out(Shape{gray.width(), gray.height(), channels});
  for (int c = 0; c < channels; ++c) copy(gray.channel(0), out.view().channel(c));
  return out;
}

Rectangle whole_of(const ConstView& in) { return {in.place.x, in.place.y, in.width(), in.height()}; }

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
  GroupOptions first{8,    group, strong ? 19 : 15, 4, (strong ? 5000.0F : 2500.0F) * square(kLevel), 2 * square(noise),
                     false},
      second{8, group, 15, 4, (strong ? 3500.0F : 400.0F) * square(kLevel), square(0.15F * noise), true};
  // With by=singular they only prepare, as effort=normal does; what is given is meant for the rounds then.
  if (f.by == BlockTransform::singular) return {first, second};
  if (f.effort == BlockEffort::fast) {
    // The first pass is but a guide.
    first.step = 8;
    second.step = 7;
    first.search = 15;
  } else if (f.effort == BlockEffort::high) {
    first.step = second.step = 2;
    first.search = second.search = 19;
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
  GroupOptions o{6, 60 + 30 * strength, 20, 5, kAnything, 0, false};
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

// All that is done to a picture, one after the other.
struct Plan {
  Passes passes;
  Rounds rounds;
  Plan(const BlockMatching& f, float level) : passes(passes_of(f, level)), rounds(rounds_of(f, level)) {
    if (f.by != BlockTransform::singular) rounds.count = 0;
  }
  int reach() const {
    return BlockPart::reach(passes.first) + BlockPart::reach(passes.second) +
           rounds.count * BlockPart::reach(rounds.groups);
  }
  int side() const {
    return std::max({passes.first.side, passes.second.side, rounds.count > 0 ? rounds.groups.side : 0});
  }
};

// The planes that are worked on: for a place in a picture whose samples lie around the view `in`, too. A picture
// smaller than a block goes on mirrored. Samples that are not finite count as 0.
Image planes_at(const ConstView& in, const Rectangle& place, int side) {
  const int color = in.shape.color_channels();
  Image part(Shape{place.width, place.height, color});
  parallel_rows(place.height, static_cast<std::size_t>(place.width * color), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int c = 0; c < color; ++c) {
        const float* from = in.row(place.y - in.place.y + y, c) + (place.x - in.place.x);
        float* to = part.row(y, c);
        for (int x = 0; x < place.width; ++x) to[x] = std::isfinite(from[x]) ? from[x] : 0;
      }
    }
  });
  const int right = std::max(0, side - in.whole_width()), below = std::max(0, side - in.whole_height());
  if (color == 3) part = opponent_colors(part, false);
  if (right > 0 || below > 0) part = Pad{.right = right, .bottom = below, .border = Border::mirror}(part);
  return part;
}

// The color channels after the first pass, where that is asked for, and after all.
struct Denoised {
  Image basic, result;
};
// Of a place in the picture, with what lies around it at hand.
Denoised denoised(const BlockMatching& f, const ConstView& in, const Rectangle& place, const BlockNoise& noise,
                  bool with_basic) {
  const auto level = static_cast<float>(noise.deviation(0));
  const Plan plan(f, level);
  const int side = plan.side(), rim = plan.reach(), left = std::max(0, place.x - rim), top = std::max(0, place.y - rim),
            right = std::min(in.whole_width(), place.x + place.width + rim),
            bottom = std::min(in.whole_height(), place.y + place.height + rim);
  const Image planes = planes_at(in, {left, top, right - left, bottom - top}, side);
  BlockPart part{{left, top, planes.width(), planes.height()},
                 std::max(side, in.whole_width()),
                 std::max(side, in.whole_height())};
  // Each pass gives less than it looked at. `made` is what the last one gave, from `origin` on.
  Image made;
  Rectangle origin = part.place;
  const auto cut = [](const Image& of, const Rectangle& at, const Rectangle& what) {
    return of.view().part({what.x - at.x, what.y - at.y, what.width, what.height});
  };
  const Rectangle start = part.place;
  const auto step = [&](const GroupOptions& groups, const auto& work) {
    made = work(cut(planes, start, part.place));
    origin = part.place;
    part.place = part.result(groups);
  };
  const auto before = [&] { return cut(made, origin, part.place); };
  // In times of the first pass: the second transforms the guide's blocks, too.
  constexpr double kSecond = 1.3, kRound = 10;
  Progress progress(1 + kSecond + kRound * plan.rounds.count);
  step(plan.passes.first, [&](const ConstView& noisy) {
    return block_pass(noisy, noisy.channel(0), nullptr, part, {plan.passes.first, noise, kHard});
  });
  progress.add(1);
  const auto given = [&] {
    Image own(cut(made, origin, place));
    return own.channels() == 3 ? opponent_colors(own, true) : own;
  };
  Denoised d;
  if (with_basic) d.basic = given();
  progress.expect(kSecond);
  step(plan.passes.second, [&](const ConstView& noisy) {
    const ConstView guide = before();
    return block_pass(noisy, guide.channel(0), &guide, part, {plan.passes.second, noise, kHard});
  });
  progress.add(kSecond);
  for (int i = 0; i < plan.rounds.count; ++i) {
    progress.expect(kRound);
    const float back = i > 0 ? 0.1F : level > 40 * kLevel ? 0.2F : 0.25F;
    step(plan.rounds.groups, [&](const ConstView& noisy) {
      return singular_round(noisy, before(), part, {plan.rounds.groups, noise, back, i == 0});
    });
    progress.add(kRound);
  }
  d.result = given();
  return d;
}

// Places one below the other, so that what is worked on at a time stays within 64 MB a thread, and higher than what has
// to be worked out around them.
std::vector<Rectangle> bands_of(const BlockMatching& f, const ConstView& in, float level) {
  constexpr double kBytesAThread = 64 << 20;
  // Planes of floats at a time: those of the picture and their copies, the guide's, the means of blocks twice, sums,
  // weights and the result.
  constexpr double kPlanes = 9;
  const int rim = Plan(f, level).reach(), width = in.width(), height = in.height();
  const double a_row = 4 * kPlanes * in.shape.color_channels() * std::min(in.whole_width(), width + 2 * rim);
  const int rows = std::max(2 * rim, static_cast<int>(kBytesAThread * threads() / a_row) - 2 * rim),
            count = (height + rows - 1) / rows, high = (height + count - 1) / count;
  std::vector<Rectangle> bands;
  for (int y = 0; y < height; y += high)
    bands.push_back({in.place.x, in.place.y + y, width, std::min(high, height - y)});
  return bands;
}

BlockNoise noise_of(const BlockMatching& f, const ConstView& in) {
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
    n = BlockNoise::in_flat_parts(planes_at(in, whole_of(in), 0), in);
    if (n.white()) return white();
  } else {
    const Image& sample = f.spectrum.sample().image("block_matching", "spectrum");
    const int own = sample.shape().color_channels();
    if (sample.width() < kLeastSide || sample.height() < kLeastSide || (own != 1 && own != color))
      throw InvalidArgument(fmt::format(
          "block_matching: the picture of the noise is {}: give one of 16 by 16 pixels or more, gray or with the "
          "channels of the picture ({})",
          text_of(sample.shape()).text, color));
    n = BlockNoise::alone(own == color ? planes_at(sample, whole_of(sample), 0) : gray_for_all(sample, color));
  }
  if (f.noise) n.set_deviation(static_cast<double>(*f.noise));
  return n;
}

std::vector<Stage> stages_of_block_matching(const BlockMatching& f, const ConstView& in) {
  const Denoised d = denoised(f, in, whole_of(in), noise_of(f, in), true);
  ConstView colors = in;
  colors.shape.channels = d.result.channels();
  std::vector<Stage> stages;
  stages.push_back({"first pass", d.basic});
  stages.push_back({"taken away",
                    map_pairs(colors, d.result, [](float a, float b) { return std::isfinite(a) ? a - b : 0; }),
                    StageContent::differences});
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
  const BlockNoise found = noise_of(*this, in);
  if (notes_heard() && (!noise || !found.white())) note(note_of(*this, found));
  const std::vector<Rectangle> bands = bands_of(*this, in, static_cast<float>(found.deviation(0)));
  Progress progress(static_cast<double>(bands.size()));
  for (const Rectangle& band : bands) {
    const Image made = denoised(*this, in, band, found, false).result;
    for (int c = 0; c < made.channels(); ++c) {
      for (int y = 0; y < band.height; ++y) {
        const float *a = in.row(band.y - in.place.y + y, c), *m = made.row(y, c);
        float* r = out.row(band.y - in.place.y + y, c);
        for (int x = 0; x < band.width; ++x) r[x] = std::isfinite(a[x]) ? m[x] : a[x];
      }
    }
    progress.add(1);
  }
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
  d.window([](const BlockMatching& f) {
    // Where the noise comes from a picture of it, its strength is not known before: the largest blocks count.
    return Plan(f, f.noise.value_or(1)).reach();
  });
  d.reads_around();
  d.measures(
      [](const BlockMatching& f) { return f.spectrum.is_measured() || (!f.noise && f.spectrum.sample().empty()); });
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
  d.takes_noise([](BlockMatching& f, float deviation) { f.noise = deviation; });
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
