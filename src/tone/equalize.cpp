#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "tone/level_map.hpp"
#include "tone/tone_map.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, ColorBy>> ChoiceNames<ColorBy>::all() {
  static constexpr std::pair<const char*, ColorBy> names[] = {{"luma", ColorBy::luma}, {"channels", ColorBy::channels}};
  return names;
}

std::vector<LevelRow> internal::level_rows(Histogram h) {
  h.counts.front() += h.below;
  h.counts.back() += h.above;
  const auto probabilities = h.probabilities(), cumulative = h.cumulative();
  const double top = static_cast<double>(h.counts.size() - 1);
  std::vector<LevelRow> table(h.counts.size());
  for (std::size_t k = 0; k < table.size(); ++k) {
    LevelRow& r = table[k];
    r = {static_cast<std::uint32_t>(k), h.counts[k], probabilities[k], cumulative[k], cumulative[k] * top, 0, 0};
    r.mapped = static_cast<std::uint32_t>(std::round(r.scaled));
  }
  for (std::size_t k = 0; k < table.size(); ++k) table[table[k].mapped].new_count += table[k].count;
  return table;
}

std::vector<float> internal::level_map(const std::vector<LevelRow>& table) {
  const float top = static_cast<float>(table.size() - 1);
  std::vector<float> map;
  std::size_t before = 0, after = 0;
  for (const LevelRow& r : table) {
    map.push_back(static_cast<float>(r.mapped) / top);
    before += r.count > 0;
    after += r.new_count > 0;
  }
  if (after < before)
    note(fmt::format("{} levels became {}: those that fell together cannot be told apart again", before, after));
  return map;
}

std::vector<LevelRow> level_table(const ConstView& in, int channel, int levels) {
  require_input(in, "level_table");
  if (levels != 0 && (levels < 2 || levels > 65536))
    throw InvalidArgument(fmt::format("level_table: levels={}: give 2 to 65536, or 0 for those of the source", levels));
  ConstView by_levels = in;
  by_levels.white_level = static_cast<std::uint32_t>(levels_of(in.white_level, levels) - 1);
  return level_rows(histogram(by_levels, {.channel = channel}));
}

Image Equalize::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Equalize::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const int count = levels_of(in.white_level, levels.value_or(0));
  const float top = static_cast<float>(count - 1);
  std::vector<std::vector<float>> maps;
  for (int i = 0; i < maps_needed(in.shape, color); ++i)
    maps.push_back(level_map(level_table(in, measured_channel(in.shape, color, i), count)));
  if (in.white_level == 0)
    note(fmt::format("float samples were sorted into {} levels: give levels= for finer steps", count));
  map_tones(in, out, color, [&](int map, int, const float* from, float* to, std::size_t n) {
    lanes::look_up_level(from, top, maps[static_cast<std::size_t>(map)].data(), to, n);
  });
}
void Equalize::describe(Description<Equalize>& d) {
  d.called("equalize", "tone", "Spreads the levels so that each holds about as many samples as any other.");
  d.also({"histogram equalization", "flatten histogram"});
  d.wrong(
      "the light is uneven (correct that first, or take clahe), or large flat areas rule the histogram: their noise is "
      "raised.");
  d.field("levels", &Equalize::levels, "levels", "how many; auto: those of the source, 256 for float data", {2, 65536});
  d.field("color", &Equalize::color, "", "luma with the hue kept, or every channel by itself");
}

}  // namespace sieve
