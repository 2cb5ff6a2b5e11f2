#include "sieve/filter/chain.hpp"

#include <fmt/format.h>

#include <chrono>
#include <set>

#include "filter/strip_run.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/filter/within.hpp"

namespace sieve {

namespace {

// Reads steps from `at` on, up to the end of the words or, in a group, up to `end`.
std::vector<Filter> parse_steps(std::span<const std::string> words, std::size_t& at, bool group,
                                const Catalogue& catalogue, const Resources& resources) {
  std::vector<Filter> steps;
  std::set<std::string> seen;
  bool expect_name = true, opens_group = false;
  for (; at < words.size(); ++at) {
    const std::string& word = words[at];
    const std::size_t eq = word.find('=');
    if (expect_name) {
      if (word == "then") throw BadCall("a filter's name is missing before 'then'");
      if (eq != std::string::npos)
        throw BadCall(fmt::format("'{}' stands where a filter's name belongs: NAME key=value ...", word));
      if (word == "end") {
        if (!group) throw BadCall("'end' closes no group: a group begins with within");
        if (steps.empty()) throw BadCall("within: no filter in the group: within part=X,Y,W,H then NAME ... then end");
        ++at;
        return steps;
      }
      steps.push_back(catalogue.find(word));
      opens_group = word == description_of<Within>().name;
      seen.clear();
      expect_name = false;
    } else if (word == "then") {
      expect_name = true;
      // The parameters of a group are complete: its steps follow.
      if (opens_group) {
        opens_group = false;
        Within within;
        for (const char* key : {"part", "mask"})
          description_of<Within>().set(&within, key, steps.back().get(key), resources);
        std::vector<Filter> inner = parse_steps(words, ++at, true, catalogue, resources);
        within.chain = Chain(std::move(inner));
        steps.back() = Filter(within);
        expect_name = false;
        if (at < words.size() && words[at] != "then")
          throw BadCall(fmt::format("'{}' follows 'end': put 'then' between", words[at]));
        --at;
      }
    } else if (eq == std::string::npos) {
      throw BadCall(
          fmt::format("{}: '{}' is not key=value; put 'then' before the next filter", steps.back().about().name, word));
    } else {
      const std::string key = word.substr(0, eq);
      if (!seen.insert(key).second) throw BadCall(fmt::format("{}: {} is given twice", steps.back().about().name, key));
      steps.back().set(key, word.substr(eq + 1), resources);
    }
  }
  if (opens_group) throw BadCall("within: no filter in the group: within part=X,Y,W,H then NAME ... then end");
  if (expect_name)
    throw BadCall(steps.empty() ? "no filter given: NAME key=value ... [then NAME ...]"
                                : "a filter's name is missing behind the last 'then'");
  return steps;
}

}  // namespace

Chain Chain::parse(std::span<const std::string> words, const Catalogue& catalogue, const Resources& resources) {
  std::size_t at = 0;
  return Chain(parse_steps(words, at, false, catalogue, resources));
}

Chain Chain::parse(const std::string& line, const Catalogue& catalogue, const Resources& resources) {
  return parse(words_of(line), catalogue, resources);
}

Image Chain::operator()(const ConstView& in) const {
  require_input(in, "chain");
  if (steps_.empty()) return Image(in);
  // What a step tells is of the whole picture.
  if (notes_heard()) return run(in, [](std::size_t, const Image&, double) {});
  Progress progress(static_cast<double>(steps_.size()));
  Image current;
  for (std::size_t i = 0; i < steps_.size();) {
    const ConstView from = i == 0 ? in : current.view();
    const StripRun strips(std::span<const Filter>(steps_).subspan(i), from);
    if (i > 0 && strips.count() > 0 && strips.alone(from.shape)) {
      strips(from, current.view());
    } else if (strips.count() > 1) {
      Image next(strips.shape(), from.maximum);
      strips(from, next.view());
      current = std::move(next);
    } else {
      current = steps_[i](from);
    }
    const std::size_t done = std::max<std::size_t>(1, strips.count());
    progress.add(static_cast<double>(done));
    i += done;
  }
  return current;
}

Image Chain::run(const ConstView& in, const std::function<void(std::size_t, const Image&, double)>& on_step) const {
  require_input(in, "chain");
  if (steps_.empty()) return Image(in);
  Progress progress(static_cast<double>(steps_.size()));
  Image current;
  for (std::size_t i = 0; i < steps_.size(); ++i) {
    const auto start = std::chrono::steady_clock::now();
    Image next = steps_[i](i == 0 ? in : current.view());
    const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - start;
    current = std::move(next);
    progress.add(1);
    on_step(i, current, taken.count());
  }
  return current;
}

std::string Chain::text(bool full) const {
  std::string s;
  for (const Filter& f : steps_) s += (s.empty() ? "" : " then ") + (full ? f.full_text() : f.text());
  return s;
}

}  // namespace sieve
