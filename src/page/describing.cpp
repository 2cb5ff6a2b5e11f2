#include "page/describing.hpp"

#include <algorithm>
#include <cmath>

#include "sieve/filter/kernels.hpp"

namespace sieve::internal::page {

using nlohmann::ordered_json;

namespace {

// Where a slider runs: its ends are those of the range, or what is usual around the default where there are none. It is
// logarithmic where the range spans so much that the default lies in the first twentieth; `floor` is then the smallest
// value above the low end that it has a place for.
ordered_json slider_of(const Parameter& p, double standard) {
  double low = p.range.low, high = p.range.high;
  const bool samples = p.unit == "0..1 scale";
  if (!std::isfinite(low)) low = samples ? std::min(-0.5, standard - 1) : std::min(-10.0, -10 * std::fabs(standard));
  if (!std::isfinite(high)) high = samples ? std::max(1.5, standard + 1) : std::max(100.0, 10 * std::fabs(standard));
  const double usual = standard > 0 ? standard : low > 0 ? low : high / 1000;
  const bool logarithmic = low >= 0 && usual > 0 && (usual - low) * 20 <= high - low;
  // A radius with fractions is a disk's alone: for that there is the number box.
  const bool whole =
      p.kind == ParameterKind::whole || (p.name == "radius" && p.unit == "pixels" && standard == std::round(standard));
  const double floor = low > 0 ? low : whole ? 1 : std::min(usual, high) / 100;
  return {{"low", low}, {"high", high}, {"log", logarithmic}, {"floor", floor}, {"whole", whole}};
}

}  // namespace

ordered_json described(const Filter& filter) {
  const FilterDescription& a = filter.about();
  ordered_json j = {{"name", a.name},
                    {"family", a.family},
                    {"summary", a.summary},
                    {"wrong_when", a.wrong_when},
                    {"also", a.search_words},
                    {"group", filter.group() != nullptr},
                    {"parameters", ordered_json::array()}};
  for (const Parameter& p : a.parameters) {
    constexpr const char* kKinds[] = {"flag", "whole", "number", "choice", "text"};
    ordered_json one = {{"name", p.name},
                        {"unit", p.unit},
                        {"help", p.help},
                        {"allowed", p.allowed},
                        {"kind", kKinds[static_cast<int>(p.kind)]},
                        {"standard", p.standard},
                        {"auto", p.may_be_auto}};
    if (p.kind == ParameterKind::choice) one["choices"] = p.choices;
    if (p.picture) one["picture"] = true;
    if (holds_kernel(p)) one["kernel"] = true;
    if (p.kind == ParameterKind::number || p.kind == ParameterKind::whole) {
      const auto standard = parse_number(p.standard);
      one["slider"] = slider_of(p, standard.value_or(0));
      if (p.unit == "degrees" && p.name == "hue") one["hue"] = true;
    }
    j["parameters"].push_back(std::move(one));
  }
  return j;
}

ordered_json described(const Catalogue& catalogue) {
  ordered_json all = ordered_json::array();
  for (const std::string& name : catalogue.names()) all.push_back(described(catalogue.find(name)));
  return all;
}

ordered_json cards_of(const Chain& chain) {
  ordered_json all = ordered_json::array();
  for (const Filter& f : chain.steps()) {
    ordered_json values = ordered_json::object();
    for (const Parameter& p : f.about().parameters) {
      if (std::string v = f.get(p.name); v != p.standard) values[p.name] = std::move(v);
    }
    all.push_back({{"filter", f.about().name}, {"values", values}});
    if (f.group() == nullptr) continue;
    for (auto& inner : cards_of(*f.group())) all.push_back(std::move(inner));
    all.push_back({{"filter", "end"}, {"values", ordered_json::object()}});
  }
  return all;
}

ordered_json shown_of(const Filter& step, const ConstView& before, const Resources& resources) {
  ordered_json grids = ordered_json::array(), plots = ordered_json::array();
  for (const auto& [name, k] : kernels_in(step, resources))
    grids.push_back({{"title", name + " " + step.get(name)},
                     {"columns", k.width()},
                     {"rows", k.height()},
                     {"values", k.taps()},
                     {"anchor", {k.anchor_x(), k.anchor_y()}}});
  for (const Stage& s : step.stages(before)) {
    if (s.curves.empty()) continue;
    ordered_json curves = ordered_json::array();
    for (const StageCurve& c : s.curves)
      curves.push_back({{"name", c.name}, {"x", c.x}, {"y", c.y}, {"marked", c.chosen}});
    plots.push_back({{"title", s.name}, {"x", s.x_name}, {"y", s.y_name}, {"curves", curves}});
  }
  return {{"grids", grids}, {"plots", plots}};
}

}  // namespace sieve::internal::page
