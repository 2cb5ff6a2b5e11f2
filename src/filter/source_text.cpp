// Chains as C++.

#include <cxxabi.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <map>
#include <memory>

#include "sieve/filter/recipe.hpp"

namespace sieve {

namespace {

std::string type_name(const std::type_index& type) {
  int failed = 0;
  const std::unique_ptr<char, void (*)(void*)> name(abi::__cxa_demangle(type.name(), nullptr, nullptr, &failed),
                                                    std::free);
  std::string text = failed == 0 ? name.get() : type.name();
  // A filter of a file of its own is found there without its namespace.
  const std::string unnamed = "(anonymous namespace)::";
  for (std::size_t i = 0; (i = text.find(unnamed)) != std::string::npos;) text.erase(i, unnamed.size());
  return text;
}

std::string string_literal(const std::string& s) {
  std::string out = "\"";
  for (const char c : s) {
    if (c == '"' || c == '\\') out += '\\';
    out += c == '\n' ? ' ' : c;
  }
  return out + "\"";
}

// True where the value cannot be taken without opening a file.
bool names_file(Filter filter, const std::string& parameter, const std::string& value) {
  try {
    filter.set(parameter, value);
    return false;
  } catch (const InvalidArgument&) {
    return true;
  }
}

class Writer {
 public:
  // The statements that make the steps of a chain; gives their names, split by commas.
  std::string steps(const Chain& chain, const std::string& name_of_chain) {
    std::string names;
    for (const Filter& f : chain.steps()) {
      const std::string name = variable(f.about().name);
      std::string inside;
      if (f.group() != nullptr) {
        inside = variable(name_of_chain + "_inside");
        const std::string inner = steps(*f.group(), inside);
        lines_ += fmt::format("  const sieve::Chain {}{{{}}};\n", inside, inner);
      }
      lines_ += fmt::format("  sieve::Filter {} = {}{{}};\n", name, type_name(f.about().type()));
      for (const Parameter& p : f.about().parameters) {
        if (const std::string value = f.get(p.name); value != p.standard) {
          const bool opens = names_file(f, p.name, value);
          opens_ = opens_ || opens;
          lines_ += fmt::format("  {}.set({}, {}{});\n", name, string_literal(p.name), string_literal(value),
                                opens ? ", files" : "");
        }
      }
      if (!inside.empty()) lines_ += fmt::format("  {}.set_group({});\n", name, inside);
      names += (names.empty() ? "" : ", ") + name;
    }
    return names;
  }
  // All of the text around them.
  std::string text(const std::string& names) const {
    return fmt::format("{}#include <sieve/sieve.hpp>\n\nsieve::Chain chain() {{\n{}{}  return {{{}}};\n}}\n",
                       opens_ ? "#include <sieve/io.hpp>\n" : "",
                       opens_ ? "  const sieve::Resources files = sieve::io::resources();\n" : "", lines_, names);
  }

 private:
  // "gaussian", then "gaussian_2".
  std::string variable(const std::string& name) {
    const int n = ++used_[name];
    return n == 1 ? name : fmt::format("{}_{}", name, n);
  }
  bool opens_ = false;
  std::string lines_;
  std::map<std::string, int> used_;
};

}  // namespace

std::string source_text(const Chain& chain) {
  Writer w;
  const std::string names = w.steps(chain, "chain");
  return w.text(names);
}

}  // namespace sieve
