#include "sieve/spatial/footprint.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "spatial/window_runs.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, WindowShape>> ChoiceNames<WindowShape>::all() {
  static constexpr std::pair<const char*, WindowShape> names[] = {
      {"square", WindowShape::square}, {"disk", WindowShape::disk}, {"cross", WindowShape::cross}};
  return names;
}

Footprint Footprint::parse(std::string_view text) {
  const auto refuse = [&](const char* why) {
    throw InvalidArgument(fmt::format("footprint '{}': {}; give {}", text.size() > 60 ? text.substr(0, 60) : text, why,
                                      TextValue<Footprint>::allowed()));
  };
  Footprint f;
  if (text == "none") return f;
  std::vector<int> row;
  bool any = false;
  const auto end_row = [&] {
    if (row.empty()) return;
    if (!f.rows_.empty() && row.size() != f.rows_[0].size()) refuse("its rows differ in length");
    f.rows_.push_back(std::exchange(row, {}));
  };
  for (const char ch : text) {
    if (ch == '0' || ch == '1') {
      row.push_back(ch - '0');
      any = any || ch == '1';
    } else if (ch == '/' || ch == '\n') {
      end_row();
    } else if (ch != ',' && ch != ' ' && ch != '\r') {
      refuse("only 0, 1, commas and row ends can stand in it");
    }
    if (row.size() > 255 || f.rows_.size() > 255) refuse("more than 255 places a side");
  }
  end_row();
  if (!any) refuse("no place is 1");
  if (f.rows_.size() % 2 == 0 || f.rows_[0].size() % 2 == 0)
    refuse("both sides must be odd, so that there is a middle");
  f.text_.clear();
  for (const auto& r : f.rows_) {
    f.text_ += f.text_.empty() ? "" : "/";
    for (std::size_t i = 0; i < r.size(); ++i) f.text_ += fmt::format("{}{}", i == 0 ? "" : ",", r[i]);
  }
  return f;
}

Footprint TextValue<Footprint>::parse(std::string_view s, const Resources& r) {
  if (!s.starts_with('@')) return Footprint::parse(s);
  return Footprint::parse(r.open_text(std::string(s.substr(1))));
}
const char* TextValue<Footprint>::allowed() { return "rows of 0 and 1 like 0,1,0/1,1,1/0,1,0, or @FILE, or none"; }

std::vector<WindowOffset> window_offsets(const char* who, WindowShape shape, float radius, const Footprint& footprint) {
  const Scratch<WindowOffset> all = scratch_offsets(who, shape, radius, footprint);
  return {all.begin(), all.end()};
}

Scratch<WindowOffset> internal::scratch_offsets(const char* who, WindowShape shape, float radius,
                                                const Footprint& footprint) {
  Scratch<WindowOffset> all;
  if (!footprint.empty()) {
    const auto& rows = footprint.rows();
    const int cy = static_cast<int>(rows.size() / 2), cx = static_cast<int>(rows[0].size() / 2);
    for (std::size_t y = 0; y < rows.size(); ++y) {
      for (std::size_t x = 0; x < rows[y].size(); ++x) {
        if (rows[y][x] != 0) all.push_back({static_cast<int>(x) - cx, static_cast<int>(y) - cy});
      }
    }
    return all;
  }
  const int r = static_cast<int>(std::floor(radius));
  if (shape != WindowShape::disk && static_cast<float>(r) != radius) {
    throw InvalidArgument(fmt::format("{}: radius={} of a {}: give a whole number of pixels, or shape=disk", who,
                                      radius, name_of(shape)));
  }
  const double limit = static_cast<double>(radius) * static_cast<double>(radius) * (1 + 1e-6);
  for (int dy = -r; dy <= r; ++dy) {
    for (int dx = -r; dx <= r; ++dx) {
      if (shape == WindowShape::disk && dx * dx + dy * dy > limit) continue;
      if (shape == WindowShape::cross && dx != 0 && dy != 0) continue;
      all.push_back({dx, dy});
    }
  }
  return all;
}

Scratch<Run> internal::runs_of(std::span<const WindowOffset> window) {
  Scratch<Run> runs;
  for (const WindowOffset& o : window) {
    if (!runs.empty() && runs.back().dy == o.dy && runs.back().to + 1 == o.dx) {
      runs.back().to = o.dx;
    } else {
      runs.push_back({o.dy, o.dx, o.dx});
    }
  }
  return runs;
}

int internal::reach_of(std::span<const WindowOffset> window) {
  int reach = 0;
  for (const WindowOffset& o : window) reach = std::max({reach, std::abs(o.dx), std::abs(o.dy)});
  return reach;
}

}  // namespace sieve
