#include "sieve/filter/chain.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "sieve/run/engine.hpp"

namespace sieve {

using namespace internal;

namespace {

// A group in a group and so on, at most: reading them, running them and taking them apart goes as deep as they do.
constexpr int kDeepest = 100;

// Reads the steps of a chain from words, one after the other.
class StepReader {
 public:
  StepReader(std::span<const std::string> words, const Catalogue& catalogue, const Resources& resources)
      : words_(words), catalogue_(catalogue), resources_(resources) {
    // For chains that stand as values.
    resources_.catalogue = &catalogue;
  }

  // The steps up to the end of the words or, inside of the group of that name, up to the `end` that closes it.
  std::vector<Filter> steps(const std::string& group) {
    std::vector<Filter> all;
    for (;;) {
      if (at_ == words_.size())
        throw InvalidArgument(!all.empty()    ? "a filter's name is missing behind the last 'then'"
                              : group.empty() ? "no filter given: NAME key=value ... [then NAME ...]"
                                              : empty(group));
      if (words_[at_] == "end") {
        if (group.empty()) throw InvalidArgument("'end' closes no group: a group begins with within");
        if (all.empty()) throw InvalidArgument(empty(group));
        ++at_;
        return all;
      }
      all.push_back(step());
      if (at_ == words_.size()) return all;
      ++at_;  // then
    }
  }

 private:
  // A name and its parameters, up to the next `then`; a group with the chain that follows.
  Filter step() {
    const std::string& name = words_[at_++];
    if (name == "then") throw InvalidArgument("a filter's name is missing before 'then'");
    if (name.find('=') != std::string::npos)
      throw InvalidArgument(fmt::format("'{}' stands where a filter's name belongs: NAME key=value ...", name));
    Filter filter = catalogue_.find(name);
    std::set<std::string> seen;
    for (; at_ < words_.size() && words_[at_] != "then"; ++at_) {
      const std::string& word = words_[at_];
      const std::size_t eq = word.find('=');
      if (eq == std::string::npos)
        throw InvalidArgument(fmt::format("{}: '{}' is not key=value; put 'then' before the next filter", name, word));
      const std::string key = word.substr(0, eq);
      if (!seen.insert(key).second) throw InvalidArgument(fmt::format("{}: {} is given twice", name, key));
      filter.set(key, word.substr(eq + 1), resources_);
    }
    if (filter.group() == nullptr) return filter;
    if (at_ == words_.size()) throw InvalidArgument(empty(name));
    ++at_;  // then
    if (++depth_ > kDeepest)
      throw InvalidArgument(
          fmt::format("{}: groups stand in each other more than {} deep: close some", name, kDeepest));
    filter.set_group(Chain(steps(name)));
    --depth_;
    if (at_ < words_.size() && words_[at_] != "then")
      throw InvalidArgument(fmt::format("'{}' follows 'end': put 'then' between", words_[at_]));
    return filter;
  }

  static std::string empty(const std::string& group) {
    return fmt::format("{0}: no filter in the group: {0} key=value ... then NAME ... then end", group);
  }

  std::span<const std::string> words_;
  std::size_t at_ = 0;
  int depth_ = 0;  // groups that are open
  const Catalogue& catalogue_;
  Resources resources_;
};

}  // namespace

Chain::Chain(const std::vector<Filter>& steps) {
  for (const Filter& f : steps) {
    if (const Chain* chain = f.as<Chain>()) {
      steps_.insert(steps_.end(), chain->steps_.begin(), chain->steps_.end());
    } else {
      steps_.push_back(f);
    }
  }
}

Chain Chain::parse(std::span<const std::string> words, const Catalogue& catalogue, const Resources& resources) {
  return Chain(StepReader(words, catalogue, resources).steps(""));
}

Chain Chain::parse(const std::string& line, const Catalogue& catalogue, const Resources& resources) {
  return parse(words_of(line), catalogue, resources);
}

Image Chain::operator()(const ConstView& in) const { return Engine::standard().run(*this, in).image; }

void Chain::operator()(const ConstView& in, const View& out) const { Engine::standard().run(*this, in, {.out = out}); }

std::string Chain::text(bool full) const {
  std::string s;
  for (const Filter& f : steps_) s += (s.empty() ? "" : " then ") + (full ? f.full_text() : f.text());
  return s;
}

Chain Chain::with_noise(double deviation) const {
  Chain told = *this;
  for (Filter& f : told.steps_) f = f.with_noise(deviation).value_or(f);
  return told;
}

bool Chain::takes_noise() const {
  return std::any_of(steps_.begin(), steps_.end(), [](const Filter& f) {
    return f.about().takes_noise() || (f.group() != nullptr && f.group()->takes_noise());
  });
}

Chain TextValue<Chain>::parse(std::string_view s, const Resources& resources) {
  const Catalogue& catalogue = resources.catalogue != nullptr ? *resources.catalogue : Catalogue::standard();
  return Chain::parse(std::string(s), catalogue, resources);
}

std::optional<int> Chain::reach() const {
  int sum = 0;
  for (const Filter& f : steps_) {
    const std::optional<int> one = f.reach();
    if (!one) return std::nullopt;
    sum += *one;
  }
  return sum;
}

void Chain::describe(Description<Chain>& d) {
  d.called("chain", "group", "Filters one after the other.");
  d.wrong("never: a chain is what it is made of.");
  d.window(&Chain::reach);
  d.consists_of([](const Chain& chain, StepVisitor visit) {
    for (const Filter& f : chain.steps_) visit(f.step());
  });
  d.shape([](const Chain& chain, Shape shape) {
    for (const Filter& f : chain.steps_) shape = f.result_shape(shape);
    return shape;
  });
}

}  // namespace sieve
