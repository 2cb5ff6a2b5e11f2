// Every parameter of every filter at both ends of its range, in the middle, and at each of its choices.

#include <cmath>
#include <map>
#include <set>

#include "catalogue.hpp"

using namespace sieve;
using test::noise;

namespace {

// What is worth trying: the ends and the middle of numbers (the middle of their logarithms where the range is wide),
// all choices.
std::vector<std::string> worth_trying(const Parameter& p) {
  switch (p.kind) {
    case ParameterKind::flag:
      return {"yes", "no"};
    case ParameterKind::choice:
      return p.choices;
    case ParameterKind::text:
      return {};
    case ParameterKind::number:
    case ParameterKind::whole:
      break;
  }
  const bool low = std::isfinite(p.range.low) && p.range.low > -2e9,
             high = std::isfinite(p.range.high) && p.range.high < 2e9;
  std::vector<double> values;
  if (low) values.push_back(p.range.low);
  // Ten thousand steps, and blocks that a small picture is padded to, only take time.
  if (high)
    values.push_back(p.name == "iterations" || p.name == "block" ? std::min(1000.0, p.range.high) : p.range.high);
  if (low && high)
    values.push_back(p.range.low > 0 && p.range.high > 100 * p.range.low ? std::sqrt(p.range.low * p.range.high)
                                                                         : 0.5 * (p.range.low + p.range.high));
  std::vector<std::string> all;
  for (const double v : values)
    all.push_back(p.kind == ParameterKind::whole
                      ? std::to_string(std::llround(v))
                      : internal::number_text(static_cast<double>(static_cast<float>(v)), true));
  if (p.may_be_auto) all.emplace_back("auto");
  return all;
}

// What takes a part of the picture, or makes it larger than a test should hold.
bool resizes(const std::string& filter) {
  return filter == "pad" || filter == "crop" || filter == "shrink" || filter == "within";
}

template <class Work>
void every_setting(const ConstView& in, Work work) {
  for (const Filter& f : test::every_filter(in)) {
    if (resizes(f.about().name)) continue;
    for (const Parameter& p : f.about().parameters) {
      for (const std::string& value : worth_trying(p)) {
        CAPTURE(f.about().name);
        CAPTURE(p.name);
        CAPTURE(value);
        Filter set = f;
        REQUIRE_NOTHROW(set.set(p.name, value));
        work(set, p, value);
      }
    }
  }
}

// The result, or what was refused; any other exception is a failure of the test.
std::optional<Image> accepted(const Filter& f, const ConstView& in) {
  try {
    return f(in);
  } catch (const InvalidArgument& e) {
    // Who refuses names himself and what is at stake.
    CHECK(std::string(e.what()).find(':') != std::string::npos);
    return std::nullopt;
  }
}

}  // namespace

TEST_CASE("parameters at their ends: a finite picture, the same with any number of threads") {
  for (const auto& [w, h, channels] : {std::tuple{37, 29, 3}, {1, 1, 1}, {19, 1, 1}}) {
    const Image in = noise(w, h, channels);
    int ran = 0;
    every_setting(in, [&](const Filter& f, const Parameter&, const std::string&) {
      set_threads(1);
      const auto one = accepted(f, in);
      set_threads(0);
      if (in.height() > 1) {  // a row is one thread's work
        set_threads(3);
        const auto three = accepted(f, in);
        set_threads(0);
        REQUIRE(one.has_value() == three.has_value());
        CHECK((!one || identical(*one, *three)));
      }
      if (!one) return;
      ++ran;
      CHECK(one->channels() <= in.channels());
      CHECK(test::not_finite(*one) == 0);
    });
    CHECK(ran > (w == 1 ? 200 : 300));
  }
}

TEST_CASE("parameters at their ends: the text is read back, and a step beyond is refused with what is allowed") {
  const Image in = noise(9, 7);
  int beyond = 0;
  every_setting(in, [&](Filter f, const Parameter& p, const std::string& value) {
    CHECK(f.get(p.name) == value);
    if (f.full_text().find("second.png") == std::string::npos)
      CHECK(Chain::parse(f.full_text()).text(true) == f.full_text());
    if (p.kind != ParameterKind::number && p.kind != ParameterKind::whole) return;
    for (const double end : {p.range.low, p.range.high}) {
      if (!std::isfinite(end) || std::abs(end) > 1e9) continue;
      const double step = end == p.range.low ? -1 - std::abs(end) : 1 + std::abs(end);
      const std::string text = p.kind == ParameterKind::whole ? std::to_string(std::llround(end + step))
                                                              : internal::number_text(end + step, false);
      CHECK_THROWS_WITH_AS(f.set(p.name, text), doctest::Contains(p.allowed.c_str()), InvalidArgument);
      CHECK(f.get(p.name) == value);
      ++beyond;
    }
  });
  CHECK(beyond > 300);
}

TEST_CASE("every choice, switch and small number: the fast way is the plain definition") {
  // Where the two need not meet: an approximation by choice, an iteration that is not let run, and what decides at a
  // level (a threshold on a spectrum, the end of an iteration), so that a rounding is another result.
  const std::map<std::string, std::set<std::string>> other = {{"bilateral", {"method", "sigma"}},
                                                              {"total_variation", {"tolerance", "iterations"}},
                                                              {"landweber", {"noise"}},
                                                              {"pseudo_inverse", {"threshold"}}};
  for (const auto& [w, h, channels] : {std::tuple{19, 14, 1}, {9, 8, 3}}) {
    const Image in = map_samples(noise(w, h, channels), [](float v) { return std::clamp(v, 0.0F, 1.0F); });
    int compared = 0;
    every_setting(in, [&](const Filter& f, const Parameter& p, const std::string& value) {
      const auto spared = other.find(f.about().name);
      if (spared != other.end() && spared->second.count(p.name) > 0) return;
      // Its steps divide by what they estimate: on noise alone roundings grow. tests/restore.cpp holds it on pictures.
      if (f.about().name == "richardson_lucy") return;
      Filter few = f;
      if (f.about().name == "landweber" && p.name != "iterations") few.set("iterations", "20");
      // On so little noise alone many weights are equally good. tests/denoise.cpp and tests/restore.cpp hold the choice
      // on pictures.
      if (f.about().name == "total_variation" && (p.name != "weight" || value == "auto")) few.set("weight", "0.2");
      if (f.about().name == "constrained_least_squares" && p.name == "border") few.set("weight", "0.01");
      if (f.about().name == "wavelet_shrink" && p.name == "wavelet") few.set("rule", "bayes");
      // A plain definition takes its time over a large window.
      if ((p.kind == ParameterKind::number || p.kind == ParameterKind::whole) && value != "auto" &&
          std::stod(value) > 5)
        return;
      const auto fast = accepted(few, in);
      if (!fast) return;
      const auto plain = reference::Definitions::standard().plain(few, in);
      if (!plain) return;
      const reference::Agreement a = reference::Definitions::standard().agreement(few, *fast, *plain);
      CAPTURE(a.tolerance);
      CHECK(a.same_shape);
      CHECK(a.deviation <= a.tolerance);
      ++compared;
    });
    CHECK(compared > 400);
  }
}
