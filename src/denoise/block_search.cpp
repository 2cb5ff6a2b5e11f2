#include "denoise/block_search.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>

#include "core/index.hpp"
#include "denoise/block_lanes.hpp"
#include "denoise/search_lanes.hpp"

namespace sieve::internal {

namespace {

constexpr float kNone = std::numeric_limits<float>::infinity();

// For the nearest of a group, with a few more that may be of it.
std::size_t room_for(int group) { return index(2 * group + lanes::kBlockSlack); }

}  // namespace

Rectangle BlockPart::result(const GroupOptions& o) const {
  const int rim = reach(o);
  // At the ends of the picture nothing is missing.
  const int left = place.x == 0 ? 0 : place.x + rim, top = place.y == 0 ? 0 : place.y + rim,
            right = place.x + place.width == whole_width ? whole_width : place.x + place.width - rim,
            bottom = place.y + place.height == whole_height ? whole_height : place.y + place.height - rim;
  return {left, top, right - left, bottom - top};
}

// By the fractional part of dx / p + dy / p^2 with the plastic number p, p^3 = p + 1 (an additive recurrence; Weyl's
// equidistribution).
std::vector<Offset> spread_offsets(int reach) {
  constexpr double kPlastic = 1.324717957244746;
  std::vector<std::pair<double, Offset>> all;
  for (int dy = -reach; dy <= reach; ++dy) {
    for (int dx = -reach; dx <= reach; ++dx) {
      const double t = dx / kPlastic + dy / (kPlastic * kPlastic);
      if (dx != 0 || dy != 0) all.push_back({t - std::floor(t), {dx, dy}});
    }
  }
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<Offset> offsets;
  for (const auto& [place, offset] : all) offsets.push_back(offset);
  return offsets;
}

BlockSearch::BlockSearch(const BlockPlane& match, const BlockPlane* means, const BlockPart& part, const GroupOptions& o,
                         std::span<const Offset> spread)
    : match_(match),
      means_(means),
      part_(part),
      options_(o),
      spread_(spread),
      cells_(o.side % o.step == 0 && o.step < o.side ? o.side / o.step : 0),
      pitch_((2 * o.search + lanes::kDistanceRow) / lanes::kDistanceRow * lanes::kDistanceRow),
      length_(static_cast<std::size_t>(pitch_) * static_cast<std::size_t>(2 * o.search + 1)),
      single_(static_cast<std::size_t>(cells_ * cells_), Table{-1, -1, nullptr}),
      beside_(static_cast<std::size_t>(cells_ * kKept), Table{-1, -1, nullptr}),
      a_row_((std::uint64_t{1} << 32) / static_cast<std::uint64_t>(pitch_) + 1),
      alike_(o.alike * static_cast<float>(o.side * o.side)),
      places_(room_for(o.group)),
      ranks_(room_for(o.group)),
      near_(room_for(o.group), 0.0F) {
  memory_.resize(length_ * (2 + single_.size() + beside_.size()), 0.0F);
  distances_ = memory_.data();
  level_ = distances_ + length_;
  float* next = level_;
  for (Scratch<Table>* tables : {&single_, &beside_}) {
    for (Table& t : *tables) t.distances = next += length_;
  }
}

BlockGroup BlockSearch::find(int x, int y) {
  const int reach = options_.search;
  compute_all(x, y);
  lanes::close_rows(distances_, 2 * reach + 1, pitch_, 2 * reach + 1);
  leave_out_beyond(x, y);
  // The block itself comes first, however like it another may be.
  distances_[reach * pitch_ + reach] = -1;
  found_.clear();
  if (const float* distances = alike(x, y)) {
    // Very many are alike: the nearest would be those that overlap, whose noise is the same. The block itself and
    // others in an order that spreads them out are taken instead.
    found_.push_back({x, y});
    for (auto next = spread_.begin(); found_.size() < index(options_.group); ++next) {
      if (distances[(next->dy + reach) * pitch_ + next->dx + reach] < alike_)
        found_.push_back({x + next->dx, y + next->dy});
    }
    return {found_, true};
  }
  const auto numbers = static_cast<float>(options_.side * options_.side);
  lanes::round_distances(distances_, static_cast<int>(length_));
  const int count = lanes::nearest_places(distances_, static_cast<int>(length_), options_.group,
                                          options_.unlike * numbers, bound_, places_.data());
  // In order, since neighbors in the stack should be alike.
  for (int i = 0; i < count; ++i) near_[index(i)] = distances_[places_[index(i)]];
  lanes::order_of(near_.data(), count, ranks_.data());
  found_.resize(index(count));
  for (int i = 0; i < count; ++i) {
    const int place = places_[index(i)];
    const auto row = static_cast<int>(static_cast<std::uint64_t>(place) * a_row_ >> 32);
    found_[index(ranks_[index(i)])] = {x + place - row * pitch_ - reach, y + row - reach};
  }
  return {std::span<const Match>(found_).first(index(std::min(options_.group, count))), false};
}

// The distances by which more than enough blocks are alike; none where they are not.
const float* BlockSearch::alike(int x, int y) {
  const int reach = options_.search;
  const auto enough = [&](const float* distances) {
    return lanes::count_below(distances, static_cast<int>(length_), alike_) >= options_.group ? distances : nullptr;
  };
  if (!options_.sloping) return enough(distances_);
  // The slope is that from the block beside it to the one on the other side, without a sample in common with it, or
  // from as far as the search may look.
  const int px = part_.place.x + x, py = part_.place.y + y, apart = std::min(options_.side, reach),
            left = std::min(apart, px), right = std::min(apart, part_.whole_width - options_.side - px),
            top = std::min(apart, py), bottom = std::min(apart, part_.whole_height - options_.side - py);
  const auto slope = [](float from, float to, int distance) {
    return distance > 0 ? (to - from) / static_cast<float>(distance) : 0;
  };
  const lanes::BlockSlope s{slope(*means_->at(x - left, y), *means_->at(x + right, y), left + right),
                            slope(*means_->at(x, y - top), *means_->at(x, y + bottom), top + bottom)};
  const auto [first, past] = rows_there(y, options_.side);
  const auto begin = first * pitch_, end = past * pitch_, all = static_cast<int>(length_);
  std::fill(level_, level_ + begin, kNone);
  std::fill(level_ + end, level_ + all, kNone);
  lanes::level_distances(distances_ + begin, pitch_, -reach, first - reach, past - reach,
                         means_->at(x - reach, y - reach + first), means_->stride, *means_->at(x, y), s,
                         static_cast<float>(options_.side * options_.side), level_ + begin);
  return enough(level_);
}

// The rows of a search around row y at which a block or cell of that side lies in the part.
std::pair<int, int> BlockSearch::rows_there(int y, int side) const {
  return {std::max(0, options_.search - y),
          std::min(2 * options_.search + 1, part_.place.height - side - y + options_.search + 1)};
}

// Only blocks that lie in the picture count.
void BlockSearch::leave_out_beyond(int x, int y) {
  const int reach = options_.search, last = 2 * reach, left = std::max(0, reach - part_.place.x - x),
            top = std::max(0, reach - part_.place.y - y),
            right = std::min(last, part_.whole_width - options_.side - part_.place.x - x + reach),
            bottom = std::min(last, part_.whole_height - options_.side - part_.place.y - y + reach);
  if (left == 0 && top == 0 && right == last && bottom == last) return;
  for (int row = 0; row <= last; ++row) {
    float* d = distances_ + row * pitch_;
    const bool there = row >= top && row <= bottom;
    std::fill(d, d + (there ? left : pitch_), kNone);
    if (there) std::fill(d + right + 1, d + pitch_, kNone);
  }
}

void BlockSearch::compute_all(int x, int y) {
  const int px = part_.place.x + x, py = part_.place.y + y;
  if (cells_ == 0 || px % options_.step != 0 || py % options_.step != 0)
    return compute(x, y, options_.side, distances_);
  std::array<const float*, lanes::kMostBlock> rows;
  for (int i = 0; i < cells_; ++i) rows[index(i)] = of_cells_beside(px / options_.step, py / options_.step + i);
  lanes::add_tables(rows.data(), cells_, length_, distances_);
}

const float* BlockSearch::of_cells_beside(int x, int y) {
  Table& t = beside_[static_cast<std::size_t>(y % cells_ * kKept + x % kKept)];
  if (t.x == x && t.y == y) return t.distances;
  std::array<const float*, lanes::kMostBlock> cells;
  for (int i = 0; i < cells_; ++i) cells[index(i)] = of_cell(x + i, y);
  lanes::add_tables(cells.data(), cells_, length_, t.distances);
  t.x = x;
  t.y = y;
  return t.distances;
}

const float* BlockSearch::of_cell(int x, int y) {
  Table& t = single_[static_cast<std::size_t>(y % cells_ * cells_ + x % cells_)];
  if (t.x == x && t.y == y) return t.distances;
  compute(x * options_.step - part_.place.x, y * options_.step - part_.place.y, options_.step, t.distances);
  t.x = x;
  t.y = y;
  return t.distances;
}

// For blocks or cells of a side. Where the search goes beyond the rows that are there, nothing is written.
void BlockSearch::compute(int x, int y, int side, float* to) const {
  const auto [first, past] = rows_there(y, side);
  const int reach = options_.search;
  lanes::window_distances(match_.at(x, y), match_.at(x - reach, y - reach + first), match_.stride, side, past - first,
                          pitch_, to + first * pitch_);
}

}  // namespace sieve::internal
