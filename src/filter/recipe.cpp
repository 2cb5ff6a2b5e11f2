#include "sieve/filter/recipe.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>
#include <stdexcept>
#include <string_view>

#include "sieve/core/version.hpp"

// Text that is no TOML trips some assertions of the parser, which end the program or, without them, assume what is not
// so: here they are an error like any other.
#undef NDEBUG
#define TOML_ASSERT(expression) ((expression) ? static_cast<void>(0) : throw std::logic_error("no valid TOML"))
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wterminate"  // some stand where nothing may be thrown: there it ends as it would have
#endif
#include <toml++/toml.h>
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC diagnostic pop
#endif

namespace sieve {

namespace {

constexpr const char* kRecordStart = "lean-sieve ";
constexpr int kFormat = 1;

// A value as chain text; nothing where the type does not fit the parameter.
std::optional<std::string> value_text(const toml::node& node, const Parameter& p, bool ranges) {
  const bool number = p.kind == ParameterKind::number || p.kind == ParameterKind::whole;
  if (const auto* s = node.as_string()) {
    const std::string& text = s->get();
    const bool fits = p.kind == ParameterKind::choice || p.kind == ParameterKind::text ||
                      (ranges && holds_range(text)) || (number && p.may_be_auto && text == "auto");
    return fits ? std::optional(text) : std::nullopt;
  }
  if (const auto* i = node.as_integer()) return number ? std::optional(std::to_string(i->get())) : std::nullopt;
  if (const auto* f = node.as_floating_point())
    return number ? std::optional(internal::number_text(f->get(), false)) : std::nullopt;
  if (const auto* b = node.as_boolean(); b != nullptr && p.kind == ParameterKind::flag) return b->get() ? "yes" : "no";
  return std::nullopt;
}

std::string toml_string(const std::string& s) {
  std::ostringstream out;
  out << toml::value<std::string>(s);
  return out.str();
}

// What the parser does not bear: control characters, letters other than ASCII in keys (which TOML does not allow), and
// nesting, which is the depth of its recursion. InvalidArgument names the line.
void check_before_parsing(const std::string& text, const std::string& file) {
  constexpr std::size_t kMostBytes = std::size_t{1} << 20, kMostInLine = std::size_t{1} << 16;
  constexpr int kMostDepth = 32;
  if (text.size() > kMostBytes)
    throw InvalidArgument(fmt::format("{} has {} bytes; a recipe has at most {}", file, text.size(), kMostBytes));
  std::size_t line = 1, begin = 0;
  int brackets = 0, dots = 0;
  std::string_view until;  // what ends the string or comment that a place lies in
  const auto wrong = [&](const std::string& what) {
    return InvalidArgument(fmt::format("{}, line {}: {}", file, line, what));
  };
  for (std::size_t at = 0; at < text.size(); ++at) {
    const auto c = static_cast<unsigned char>(text[at]);
    if (c == '\n') {
      ++line, begin = at + 1, dots = 0;
      if (until.size() == 1) until = {};  // a string of one line, or a comment
      continue;
    }
    if (at - begin > kMostInLine) throw wrong(fmt::format("a line of a recipe has at most {} bytes", kMostInLine));
    if ((c < 32 && c != '\t' && c != '\r') || c == 127)
      throw wrong(fmt::format("the byte {} is no text: a recipe is a TOML file", static_cast<int>(c)));
    const std::string_view rest = std::string_view(text).substr(at);
    if (!until.empty()) {
      if (until[0] == '"' && (rest.starts_with("\\\\") || rest.starts_with("\\\""))) {
        ++at;
      } else if (rest.starts_with(until)) {
        at += until.size() - 1;
        until = {};
      }
      continue;
    }
    if (c >= 128) throw wrong("letters beyond ASCII stand within quotes only");
    for (const std::string_view mark : {"\"\"\"", "'''", "\"", "'"}) {
      if (!until.empty() || !rest.starts_with(mark)) continue;
      until = mark;
      at += mark.size() - 1;
    }
    if (c == '#') until = "\n";
    brackets += c == '[' || c == '{' ? 1 : c == ']' || c == '}' ? -1 : 0;
    dots += c == '.' ? 1 : 0;
    if (brackets > kMostDepth || dots > kMostDepth)
      throw wrong(fmt::format("keys and values of a recipe are nested at most {} deep", kMostDepth));
  }
}

}  // namespace

bool holds_range(const std::string& value) {
  return value.find("..") != std::string::npos || value.find('|') != std::string::npos;
}

std::vector<std::string> recipe_words(const std::string& text, const std::string& file, const Catalogue& catalogue,
                                      const Resources& resources, bool ranges) {
  const auto wrong = [&](const toml::source_region& where, const std::string& what) -> InvalidArgument {
    return InvalidArgument(fmt::format("{}, line {}: {}", file, where.begin.line, what));
  };
  check_before_parsing(text, file);
  toml::table table;
  try {
    table = toml::parse(text, file);
  } catch (const toml::parse_error& e) {
    throw wrong(e.source(), std::string(e.description()));
  } catch (const std::logic_error& e) {
    throw InvalidArgument(fmt::format("{}: {}: look for an empty table name or key", file, e.what()));
  }
  for (const auto& [key, node] : table) {
    if (key != "lean_sieve" && key != "step")
      throw wrong(key.source(), fmt::format("unknown key '{}': a recipe has lean_sieve and [[step]]", key.str()));
  }
  const auto* format = table.get("lean_sieve");
  if (format != nullptr && format->value<int>().value_or(0) != kFormat)
    throw wrong(format->source(), fmt::format("lean_sieve must be {}", kFormat));
  const auto* steps = table.get("step") != nullptr ? table.get("step")->as_array() : nullptr;
  if (steps == nullptr || steps->empty()) throw InvalidArgument(file + ": no [[step]] in it");
  std::vector<std::string> words;
  for (const toml::node& node : *steps) {
    const auto* step = node.as_table();
    if (step == nullptr) throw wrong(node.source(), "a step is a table: [[step]]");
    const auto* name = step->get("filter");
    if (name == nullptr || !name->is_string()) throw wrong(node.source(), "a step needs filter = \"NAME\"");
    if (!words.empty()) words.emplace_back("then");
    const std::string called = name->as_string()->get();
    words.push_back(called);
    if (called == "end") continue;
    try {
      Filter filter = catalogue.find(called);
      for (const auto& [key, value] : *step) {
        if (key == "filter") continue;
        try {
          const Parameter& p = filter.about().parameter(key.str());
          const std::optional<std::string> v = value_text(value, p, ranges);
          if (!v) throw InvalidArgument(fmt::format("{}: {} has the wrong type: give {}", called, p.name, p.allowed));
          if (!(ranges && holds_range(*v) && p.kind != ParameterKind::text)) filter.set(key.str(), *v, resources);
          words.push_back(std::string(key.str()) + "=" + *v);
        } catch (const InvalidArgument& e) {
          throw wrong(value.source(), e.what());
        }
      }
    } catch (const InvalidArgument& e) {
      const std::string what = e.what();
      throw what.starts_with(file) ? e : wrong(name->source(), what);
    }
  }
  return words;
}

namespace {

void write_steps(const Chain& chain, std::string& out) {
  for (const Filter& f : chain.steps()) {
    out += "\n[[step]]\nfilter = " + toml_string(f.about().name) + "\n";
    for (const Parameter& p : f.about().parameters) {
      const std::string value = f.get_full(p.name);
      const bool number = p.kind == ParameterKind::number || p.kind == ParameterKind::whole;
      const bool bare = number && value != "auto";
      out += p.name + " = " +
             (bare                            ? value
              : p.kind == ParameterKind::flag ? (value == "yes" ? "true" : "false")
                                              : toml_string(value)) +
             "\n";
    }
    if (const Chain* inner = f.group()) {
      write_steps(*inner, out);
      out += "\n[[step]]\nfilter = \"end\"\n";
    }
  }
}

}  // namespace

std::string recipe_text(const Chain& chain) {
  std::string out = fmt::format("# Lean Sieve {}\nlean_sieve = {}\n", version(), kFormat);
  write_steps(chain, out);
  return out;
}

std::string record_of(const Chain& chain) { return std::string(kRecordStart) + version() + " | " + chain.text(true); }

std::string chain_text_of_record(const std::string& record) {
  const std::size_t bar = record.find(" | ");
  if (!record.starts_with(kRecordStart) || bar == std::string::npos)
    throw InvalidArgument("no record of a chain is in it: it was not written by Lean Sieve");
  return record.substr(bar + 3);
}

}  // namespace sieve
