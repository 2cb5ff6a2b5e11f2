#include "sieve/page/still.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numeric>
#include <optional>

#include "page/coding.hpp"
#include "page/document.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/version.hpp"
#include "sieve/spatial/frame.hpp"

namespace sieve::page {

using nlohmann::ordered_json;
using namespace internal::page;

namespace {

const char* name_of(Role role) {
  constexpr const char* kNames[] = {"input", "truth", "step", "result", "other"};
  return kNames[static_cast<int>(role)];
}

const char* name_of(StageContent content) {
  constexpr const char* kNames[] = {"samples", "differences", "frequencies"};
  return kNames[static_cast<int>(content)];
}

ordered_json numbers(const std::vector<double>& all) {
  ordered_json j = ordered_json::array();
  for (const double v : all) j.push_back(number(v));
  return j;
}

// All pictures of a page, coded alike.
struct Pack {
  std::vector<Coded> pictures;
  std::size_t bytes = 0;
  bool exact = true;
};

std::size_t in_base64(std::size_t bytes) { return (bytes + 2) / 3 * 4; }

// A mean of levels is no level.
Image shrunk(const ConstView& image, int factor) {
  return factor == 1 ? Image(image) : Shrink{.factor = static_cast<float>(factor)}(image);
}

// Calls work(i) for every picture, several at a time.
void each(const std::vector<Picture>& pictures, FunctionRef<void(std::size_t)> work) {
  parallel_rows(
      static_cast<int>(pictures.size()), RowCost(1 << 20, 100),
      [&](int first, int last) {
        for (int i = first; i < last; ++i) work(static_cast<std::size_t>(i));
      },
      1);
}

Pack pack(const std::vector<Picture>& pictures, int bits, int shrink) {
  Pack p;
  p.pictures.resize(pictures.size());
  each(pictures, [&](std::size_t i) { p.pictures[i] = coded(shrunk(pictures[i].image, shrink), bits, true); });
  for (const Coded& c : p.pictures) {
    p.bytes += in_base64(c.bytes.size());
    p.exact = p.exact && c.exact;
  }
  return p;
}

// The bytes that pack() would need, from the rows in the middle of every picture.
double expected(const std::vector<Picture>& pictures, int bits, int shrink) {
  constexpr int kRows = 32;
  std::vector<double> bytes(pictures.size());
  each(pictures, [&](std::size_t i) {
    const Image& image = pictures[i].image;
    const int rows = std::min(image.height(), kRows * shrink);
    const Image part = shrunk(image.view().part({0, (image.height() - rows) / 2, image.width(), rows}), shrink);
    bytes[i] = static_cast<double>(in_base64(coded(part, bits, true).bytes.size())) * image.height() / rows;
  });
  return std::accumulate(bytes.begin(), bytes.end(), 0.0);
}

// The finest way to code the pictures that stays within `most` bytes: exactly, then rounded to coarser and coarser
// steps, then shrunk.
Pack pack_within(std::size_t most, const std::vector<Picture>& pictures, int& bits, int& shrink) {
  constexpr int kLadder[] = {kExact, 16, 14, 12, 10, 8};
  std::size_t rung = 0;
  bits = kExact;
  shrink = 1;
  const auto down = [&] {
    if (rung + 1 < std::size(kLadder)) {
      bits = kLadder[++rung];
    } else {
      shrink *= 2;
    }
  };
  while (shrink < 64 && expected(pictures, bits, shrink) > static_cast<double>(most)) down();
  Pack packed = pack(pictures, bits, shrink);
  while (shrink < 64 && packed.bytes > most) {
    down();
    packed = pack(pictures, bits, shrink);
  }
  return packed;
}

}  // namespace

struct Page::Parts {
  std::string title, subtitle;
  std::vector<Picture> pictures;
  std::vector<Plot> plots;
  std::vector<Grid> grids;
  std::vector<Table> tables;
  std::vector<std::pair<std::string, std::vector<std::string>>> texts;
  std::optional<Runs> runs;
};

Page::Page(std::string title, std::string subtitle)
    : parts_(new Parts{std::move(title), std::move(subtitle), {}, {}, {}, {}, {}, {}}) {}
Page::~Page() = default;
Page::Page(Page&&) noexcept = default;
Page& Page::operator=(Page&&) noexcept = default;

int Page::add(Picture picture) {
  if (picture.image.empty()) throw InvalidArgument("page: the picture '" + picture.name + "' is empty");
  parts_->pictures.push_back(std::move(picture));
  return static_cast<int>(parts_->pictures.size()) - 1;
}
void Page::add(Plot plot) { parts_->plots.push_back(std::move(plot)); }
void Page::add(Grid grid) {
  if (grid.columns < 1 || grid.rows < 1 ||
      grid.values.size() != static_cast<std::size_t>(grid.columns) * static_cast<std::size_t>(grid.rows))
    throw InvalidArgument(fmt::format("page: the grid '{}' has {} values: give {} times {}", grid.title,
                                      grid.values.size(), grid.columns, grid.rows));
  parts_->grids.push_back(std::move(grid));
}
void Page::add(Table table) {
  for (const auto& row : table.rows) {
    if (row.size() != table.columns.size())
      throw InvalidArgument(fmt::format("page: a row of the table '{}' has {} cells: give {}", table.title, row.size(),
                                        table.columns.size()));
  }
  if (!table.pictures.empty() && table.pictures.size() != table.rows.size())
    throw InvalidArgument(fmt::format("page: the table '{}' opens {} pictures from {} rows: give one a row, or none",
                                      table.title, table.pictures.size(), table.rows.size()));
  parts_->tables.push_back(std::move(table));
}
void Page::add(std::string title, std::vector<std::string> lines) {
  parts_->texts.emplace_back(std::move(title), std::move(lines));
}
void Page::set(Runs runs) {
  for (const int i : runs.pictures) {
    if (i < 0 || static_cast<std::size_t>(i) >= parts_->pictures.size())
      throw InvalidArgument(fmt::format("page: a run names picture {}: there are {}", i, parts_->pictures.size()));
  }
  if (runs.axes.empty() || runs.axes.size() > 2)
    throw InvalidArgument(fmt::format("page: runs over {} parameters: give one or two", runs.axes.size()));
  if (runs.best >= static_cast<int>(runs.pictures.size()))
    throw InvalidArgument(fmt::format("page: the best run is {}: there are {}", runs.best, runs.pictures.size()));
  parts_->runs = std::move(runs);
}

std::string Page::html(const PageOptions& options) const {
  // The document itself is small beside its samples.
  constexpr std::size_t kRest = 500'000;
  const std::size_t room = options.bytes > 2 * kRest ? options.bytes - kRest : options.bytes / 2;
  int bits = kExact, shrink = 1;
  Pack packed = pack_within(room, parts_->pictures, bits, shrink);
  std::vector<std::string> notes;
  if (!packed.exact)
    notes.push_back(fmt::format("for the size of this file samples that are no levels are rounded to 1/{}", 1 << bits));
  if (shrink > 1) notes.push_back(fmt::format("for the size of this file pictures are shrunk {} times", shrink));

  ordered_json d = {{"title", parts_->title},
                    {"subtitle", parts_->subtitle},
                    {"made", "lean-sieve " SIEVE_VERSION},
                    {"notes", notes},
                    {"shrunk", shrink},
                    {"pictures", ordered_json::array()}};
  std::vector<std::string> samples;
  for (std::size_t i = 0; i < packed.pictures.size(); ++i) {
    const Picture& p = parts_->pictures[i];
    ordered_json figures = ordered_json::object();
    for (const auto& [name, value] : p.figures) figures[name] = number(value);
    d["pictures"].push_back({{"name", p.name},
                             {"role", name_of(p.role)},
                             {"content", name_of(p.content)},
                             {"note", p.note},
                             {"chain", p.chain},
                             {"figures", figures},
                             {"samples", packed.pictures[i].head}});
    samples.push_back(std::move(packed.pictures[i].bytes));
  }
  for (const Plot& p : parts_->plots) {
    ordered_json curves = ordered_json::array();
    for (const StageCurve& c : p.curves)
      curves.push_back({{"name", c.name}, {"x", numbers(c.x)}, {"y", numbers(c.y)}, {"marked", c.chosen}});
    d["plots"].push_back({{"title", p.title},
                          {"curves", curves},
                          {"x", p.x_name},
                          {"y", p.y_name},
                          {"note", p.note},
                          {"log_x", p.logarithmic_x},
                          {"log_y", p.logarithmic_y}});
  }
  for (const Grid& g : parts_->grids)
    d["grids"].push_back({{"title", g.title},
                          {"columns", g.columns},
                          {"rows", g.rows},
                          {"values", numbers(g.values)},
                          {"anchor", {g.anchor_x.value_or(g.columns / 2), g.anchor_y.value_or(g.rows / 2)}},
                          {"note", g.note}});
  for (const Table& t : parts_->tables)
    d["tables"].push_back(
        {{"title", t.title}, {"columns", t.columns}, {"rows", t.rows}, {"pictures", t.pictures}, {"best", t.best}});
  for (const auto& [title, lines] : parts_->texts) d["texts"].push_back({{"title", title}, {"lines", lines}});
  if (const auto& r = parts_->runs) {
    ordered_json axes = ordered_json::array();
    for (const Axis& a : r->axes) axes.push_back({{"key", a.key}, {"values", a.values}});
    d["runs"] = {{"axes", axes}, {"pictures", r->pictures}, {"by", r->by}, {"best", r->best}};
  }
  // The best of the runs and what all are compared with are seen first.
  std::vector<std::size_t> order(samples.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  const auto rank = [&](std::size_t i) {
    const auto& r = parts_->runs;
    if (r && r->best >= 0 && static_cast<std::size_t>(r->pictures[static_cast<std::size_t>(r->best)]) == i) return 0;
    return parts_->pictures[i].role == Role::input ? 1 : 2;
  };
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
  return html_of(d, samples, order, random_token(), false);
}

}  // namespace sieve::page
