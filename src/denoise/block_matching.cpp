#include "sieve/denoise/block_matching.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/finite.hpp"
#include "denoise/block_pass.hpp"
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

struct Passes {
  BlockPassOptions first, second;
};

Passes passes_of(const BlockMatching& f, float noise) {
  constexpr float kLevel = 1 / 255.0F;
  const bool strong = noise > 35 * kLevel;
  const auto square = [](float v) { return v * v; };
  // The bounds of what is alike are Lebrun's; within the noise itself (what is left of it, in the second pass) no
  // difference means anything.
  const int group = strong ? 32 : 16;
  BlockPassOptions first{8,     group, 19, 4, (strong ? 5000.0F : 2500.0F) * square(kLevel), 2 * square(noise),
                         noise, 2.7F},
      second{8, group, 19, 4, (strong ? 3500.0F : 400.0F) * square(kLevel), square(0.15F * noise), noise, 0};
  if (f.effort == BlockEffort::fast) {
    first.step = second.step = 6;
    first.search = second.search = 14;
  } else if (f.effort == BlockEffort::high) {
    first.step = second.step = 2;
    second.group = 32;
  }
  for (BlockPassOptions* o : {&first, &second}) {
    o->side = f.block.value_or(o->side);
    o->group = f.group.value_or(o->group);
    o->search = f.search.value_or(o->search);
    o->step = std::min(f.step.value_or(o->step), o->side);
  }
  return {first, second};
}

// The color channels of a picture of finite samples, after the first pass and after both; where the picture is smaller
// than a block, with what was added to it.
struct Denoised {
  Image basic, result;
};
Denoised denoised(const BlockMatching& f, const ConstView& finite, float noise) {
  const Passes passes = passes_of(f, std::max(noise, 1e-6F));
  const int color = finite.shape.color_channels(), side = std::max(passes.first.side, passes.second.side),
            right = std::max(0, side - finite.width()), below = std::max(0, side - finite.height());
  ConstView colors = finite;
  colors.shape.channels = color;
  Image planes = color == 3 ? colors_turned(colors, false) : Image(colors);
  if (right > 0 || below > 0) planes = Pad{.right = right, .bottom = below, .border = Border::mirror}(planes);
  // The second pass transforms the guide's blocks, too.
  constexpr double kSecond = 1.3;
  Progress progress(1 + kSecond);
  Denoised d;
  d.basic = block_pass(planes, planes.view().channel(0), nullptr, passes.first);
  progress.add(1);
  progress.expect(kSecond);
  d.result = block_pass(planes, d.basic.view().channel(0), &d.basic, passes.second);
  if (color == 3) {
    d.basic = colors_turned(d.basic, true);
    d.result = colors_turned(d.result, true);
  }
  return d;
}

float noise_of(const BlockMatching& f, const ConstView& in) {
  return f.noise ? *f.noise : static_cast<float>(noise_level(in));
}

std::vector<Stage> stages_of_block_matching(const BlockMatching& f, const ConstView& in) {
  const Image finite = map_samples(in, [](float v) { return std::isfinite(v) ? v : 0; });
  const Denoised d = denoised(f, finite, noise_of(f, in));
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

}  // namespace

Image BlockMatching::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void BlockMatching::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const float s = noise_of(*this, in);
  if (!noise) note(fmt::format("noise deviation {:.4f}, estimated", s));
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    const Denoised made = denoised(*this, finite, s);
    for (int c = 0; c < in.shape.color_channels(); ++c)
      copy(made.result.view().channel(c).part({0, 0, in.width(), in.height()}), result.channel(c));
  });
  copy_alpha(in, out);
}

void BlockMatching::describe(Description<BlockMatching>& d) {
  d.called("block_matching", "denoise",
           "Stacks blocks that are alike and keeps what they have in common: the best against even grain, at a price.");
  d.also({"collaborative filtering", "denoise", "grain", "nonlocal", "transform"});
  d.wrong("the noise is alike in neighbors or grows with the light (put anscombe around it); time is short: guided.");
  d.measures([](const BlockMatching& f) { return !f.noise; });
  d.stages(stages_of_block_matching);
  d.meaning([](const BlockMatching& f) {
    const BlockPassOptions o = passes_of(f, f.noise.value_or(0)).second;
    const bool by_noise = !f.noise && !f.group && f.effort != BlockEffort::high;
    return fmt::format("blocks {0}x{0} every {4} pixels, groups of {1}{2}, from {3}x{3}", o.side,
                       std::bit_floor(static_cast<unsigned>(o.group)), by_noise ? ", of 32 in strong noise" : "",
                       2 * o.search + o.side, o.step);
  });
  d.field("noise", &BlockMatching::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  d.field("effort", &BlockMatching::effort, "", "sets what is left to itself below");
  d.field("block", &BlockMatching::block, "pixels", "side of the blocks", {4, 16});
  d.field("group", &BlockMatching::group, "blocks", "most blocks to a group; a power of two is used", {1, 32});
  d.field("search", &BlockMatching::search, "pixels", "half-width of the window that is searched", {1, 50});
  d.field("step", &BlockMatching::step, "pixels", "from one reference block to the next", {1, 16});
}

}  // namespace sieve
