#include "sieve/filter/chain.hpp"

#include <fmt/format.h>

#include <chrono>
#include <set>
#include <sstream>

#include "sieve/core/watch.hpp"

namespace sieve {

Chain Chain::parse(std::span<const std::string> words, const Catalogue& catalogue, const Resources& resources) {
  std::vector<Filter> steps;
  std::set<std::string> seen;
  bool expect_name = true;
  for (const std::string& word : words) {
    const std::size_t eq = word.find('=');
    if (expect_name) {
      if (word == "then") throw BadCall("a filter's name is missing before 'then'");
      if (eq != std::string::npos) throw BadCall(fmt::format("'{}' stands where a filter's name belongs: NAME key=value ...", word));
      steps.push_back(catalogue.find(word));
      seen.clear();
      expect_name = false;
    } else if (word == "then") {
      expect_name = true;
    } else if (eq == std::string::npos) {
      throw BadCall(fmt::format("{}: '{}' is not key=value; put 'then' before the next filter", steps.back().about().name, word));
    } else {
      const std::string key = word.substr(0, eq);
      if (!seen.insert(key).second) throw BadCall(fmt::format("{}: {} is given twice", steps.back().about().name, key));
      steps.back().set(key, word.substr(eq + 1), resources);
    }
  }
  if (expect_name) throw BadCall(steps.empty() ? "no filter given: NAME key=value ... [then NAME ...]" : "a filter's name is missing behind the last 'then'");
  return Chain(std::move(steps));
}

Chain Chain::parse(const std::string& line, const Catalogue& catalogue, const Resources& resources) {
  std::istringstream stream(line);
  std::vector<std::string> words;
  for (std::string w; stream >> w;) words.push_back(w);
  return parse(words, catalogue, resources);
}

Image Chain::operator()(const ConstView& in) const {
  return run(in, [](std::size_t, const Image&, double) {});
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

std::string Chain::text() const {
  std::string s;
  for (const Filter& f : steps_) s += (s.empty() ? "" : " then ") + f.text();
  return s;
}

}  // namespace sieve
