#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>

#include "cli/device_use.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct ListArguments {
  std::string filter;
  bool json = false, markdown = false;
};

ordered_json as_json(const Filter& f) {
  const FilterDescription& a = f.about();
  ordered_json j = {{"name", a.name},         {"family", a.family},
                    {"summary", a.summary},   {"wrong_when", a.wrong_when},
                    {"also", a.search_words}, {"parameters", ordered_json::array()}};
  for (const Parameter& p : a.parameters) {
    j["parameters"].push_back(
        {{"name", p.name}, {"default", p.standard}, {"allowed", p.allowed}, {"unit", p.unit}, {"help", p.help}});
  }
  return j;
}

// A step that runs as it stands.
std::string example_step(const Filter& f) {
  const FilterDescription& a = f.about();
  if (f.group() != nullptr) return a.name + " part=10,10,40,30 then box radius=3 then end";
  if (a.parameters.empty()) return a.name;
  const Parameter& p = a.parameters[0];
  return a.name + " " + p.name + "=" + (p.standard == "none" ? "other.png" : p.standard);
}

void print(const Filter& f) {
  const FilterDescription& a = f.about();
  say("{}: {}\n", a.name, a.summary);
  if (!a.wrong_when.empty()) say("  wrong when: {}\n", a.wrong_when);
  if (!a.search_words.empty()) say("  also looked for as: {}\n", listed(a.search_words));
  if (f.reach()) say("  reach with the defaults: {}\n", counted(static_cast<unsigned>(*f.reach()), "pixel", "pixels"));
  if (has_device_form(a.name))
    say("  runs on a device, too (--device): docs/guide/devices.md says with which settings\n");
  if (a.parameters.empty()) say("  no parameters\n");
  for (const Parameter& p : a.parameters) {
    say("  {}={}\n      {}\n      allowed: {}\n", p.name, p.standard, p.help, p.allowed);
  }
  say("example: lsieve apply in.png out.png {}\n", example_step(f));
}

// What a word may mean, the likeliest first.
void print_found(const Session& session, const std::vector<std::string>& names, bool json) {
  ordered_json all = ordered_json::array();
  for (const std::string& name : names) {
    const Filter& f = session.catalogue.find(name);
    if (json) {
      all.push_back(as_json(f));
    } else {
      say("  {:30} {}\n", name, f.about().summary);
    }
  }
  if (json) return print_json(all);
  say("`lsieve list NAME` shows a filter's parameters and when it is the wrong choice.\n");
}

// A cell of a table.
std::string cell(std::string text) {
  for (std::size_t i = 0; (i = text.find('|', i)) != std::string::npos; i += 2) text.insert(i, 1, '\\');
  return text;
}

void print_markdown(const Session& session) {
  std::map<std::string, std::vector<std::string>> families;
  for (const std::string& name : session.catalogue.names())
    families[session.catalogue.find(name).about().family].push_back(name);
  say("# Filters\n\nWritten by `lsieve list --markdown` from the filters' own descriptions; do not edit.\n");
  for (const auto& [family, names] : families) {
    say("\n## {}\n", family);
    for (const std::string& name : names) {
      const Filter& f = session.catalogue.find(name);
      const FilterDescription& a = f.about();
      say("\n### {}\n\n{}\n", name, a.summary);
      if (!a.wrong_when.empty()) say("\nWrong when: {}\n", a.wrong_when);
      if (!a.search_words.empty()) say("\nAlso looked for as: {}\n", listed(a.search_words));
      if (f.reach())
        say("\nReach with the defaults: {}\n", counted(static_cast<unsigned>(*f.reach()), "pixel", "pixels"));
      if (!a.parameters.empty()) say("\n| parameter | default | allowed | unit | |\n|---|---|---|---|---|\n");
      for (const Parameter& p : a.parameters)
        say("| {} | {} | {} | {} | {} |\n", p.name, cell(p.standard), cell(p.allowed), cell(p.unit), cell(p.help));
      say("\n`lsieve apply in.png out.png {}`\n", example_step(f));
    }
  }
}

int list(const Session& session, const ListArguments& o) {
  if (o.markdown) {
    if (!o.filter.empty() || o.json)
      throw InvalidArgument("--markdown prints all filters: give no name and no --json beside it");
    print_markdown(session);
    return 0;
  }
  if (!o.filter.empty()) {
    const std::vector<std::string> known = session.catalogue.names(), meant = session.catalogue.search(o.filter);
    if (std::find(known.begin(), known.end(), o.filter) == known.end() && meant.size() > 1) {
      print_found(session, meant, o.json);
      return 0;
    }
    const Filter& f = session.catalogue.find(meant.size() == 1 ? meant.front() : o.filter);
    if (o.json) {
      print_json(as_json(f));
    } else {
      print(f);
    }
    return 0;
  }
  ordered_json all = ordered_json::array();
  std::map<std::string, std::vector<std::string>> families;
  for (const std::string& name : session.catalogue.names()) {
    const Filter& f = session.catalogue.find(name);
    all.push_back(as_json(f));
    families[f.about().family].push_back(fmt::format("  {:30} {}", name, f.about().summary));
  }
  if (o.json) {
    print_json(all);
    return 0;
  }
  for (const auto& [family, lines] : families) {
    say("{}\n", family);
    for (const std::string& l : lines) say("{}\n", l);
  }
  say("`lsieve list NAME` shows a filter's parameters and when it is the wrong choice.\n");
  return 0;
}

}  // namespace

Command declare_list(CLI::App& root, Session& session) {
  auto o = std::make_shared<ListArguments>();
  CLI::App* app =
      root.add_subcommand("list", "The filters, one filter's parameters, or the filters that a word may mean.");
  app->add_option("FILTER", o->filter, "a filter's name, or a word to look for: erode, PCA, salt");
  app->add_flag("--json", o->json, "print JSON");
  app->add_flag("--markdown", o->markdown, "print all filters as the page docs/filters.md");
  return {app, [o, &session] { return list(session, *o); }};
}

}  // namespace sieve::internal::cli
