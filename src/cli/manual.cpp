// What the tool says of itself for other programs: the man page and the shell's completion, from the descriptions that
// --help shows.

#include <fmt/format.h>

#include <CLI/CLI.hpp>

#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

// For a man page: nothing in a line may be taken for a request or an escape.
std::string roff(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\') {
      out += "\\e";
    } else if (c == '-') {
      out += "\\-";
    } else if ((c == '.' || c == '\'') && (out.empty() || out.back() == '\n')) {
      out += std::string("\\&") + c;
    } else {
      out += c;
    }
  }
  return out;
}

void print_options(const CLI::App& app) {
  for (const CLI::Option* o : app.get_options()) {
    if (o->get_name() == "--help") continue;
    const bool takes = o->get_items_expected_max() > 0 && o->nonpositional();
    say(".TP\n.B {}{}\n{}\n", roff(o->get_name(false, true)), takes ? " " + roff(o->get_type_name()) : "",
        roff(o->get_description()));
  }
}

int manual(const CLI::App& root, const Session& session) {
  say(".TH LSIEVE 1 \"\" \"Lean Sieve {}\" \"User commands\"\n.SH NAME\nlsieve \\- look at pictures, filter them, and "
      "see every step\n",
      SIEVE_VERSION);
  say(".SH SYNOPSIS\n.B lsieve\n[OPTIONS] COMMAND [ARGUMENTS]\n.SH OPTIONS\n");
  print_options(root);
  say(".SH COMMANDS\n");
  for (const CLI::App* c : root.get_subcommands({})) {
    say(".SS {}\n{}\n", roff(c->get_name()), roff(c->get_description()));
    print_options(*c);
    if (!c->get_footer().empty()) say(".PP\n{}\n", roff(c->get_footer()));
  }
  say(".SH FILTERS\nA step of a chain is a filter's name and its parameters as key=value; steps are joined by\n.BR "
      "then .\n");
  for (const std::string& name : session.catalogue.names()) {
    const FilterDescription& a = session.catalogue.find(name).about();
    say(".TP\n.B {}\n{}\n", roff(name), roff(a.summary));
    std::string keys;
    for (const Parameter& p : a.parameters) keys += (keys.empty() ? "" : ", ") + p.name + "=" + p.standard;
    if (!keys.empty()) say("{}\n", roff(keys));
  }
  say(".SH EXIT STATUS\n0 done, 1 the work failed, 2 the call was wrong.\n");
  return 0;
}

// "--help --json".
std::string option_words(const CLI::App& app) {
  std::string all;
  for (const CLI::Option* o : app.get_options()) {
    for (const std::string& l : o->get_lnames()) all += (all.empty() ? "--" : " --") + l;
  }
  return all;
}

int completion(const CLI::App& root, const Session& session) {
  std::string commands, options, keys;
  for (const CLI::App* c : root.get_subcommands({})) {
    commands += (commands.empty() ? "" : " ") + c->get_name();
    options += fmt::format("      {}) options=\"{}\" ;;\n", c->get_name(), option_words(*c));
  }
  std::string filters;
  for (const std::string& name : session.catalogue.names()) {
    filters += (filters.empty() ? "" : " ") + name;
    std::string own;
    for (const Parameter& p : session.catalogue.find(name).about().parameters)
      own += (own.empty() ? "" : " ") + p.name + "=";
    keys += fmt::format("      {}) words=\"{}\"; break ;;\n", name, own);
  }
  say(R"(# Completion of lsieve for bash: source <(lsieve completion)
_lsieve() {{
  local current=${{COMP_WORDS[COMP_CWORD]}} options= words= i
  COMPREPLY=()
  # Options of the tool itself, and their values, may stand before the command.
  for ((i = 1; i < COMP_CWORD; ++i)); do
    case ${{COMP_WORDS[i]}} in
{}    esac
    [ -z "$options" ] || break
  done
  if [ -z "$options" ]; then
    COMPREPLY=($(compgen -W "{} {}" -- "$current"))
    return
  fi
  if [[ $current == -* ]]; then
    COMPREPLY=($(compgen -W "$options" -- "$current"))
    return
  fi
  # Behind a filter's name its parameters, behind `then` another filter; files everywhere.
  for ((i = COMP_CWORD - 1; i > 1; --i)); do
    case ${{COMP_WORDS[i]}} in
      then|--) words="{}"; break ;;
{}    esac
  done
  [ -n "$words" ] || words="{}"
  COMPREPLY=($(compgen -W "$words then" -- "$current") $(compgen -f -- "$current"))
  [[ ${{COMPREPLY[0]}} != *= ]] || compopt -o nospace
}}
complete -o filenames -F _lsieve lsieve
)",
      options, commands, option_words(root), filters, keys, filters);
  return 0;
}

}  // namespace

Command declare_manual(CLI::App& root, Session& session) {
  CLI::App* app = root.add_subcommand("manual", "Print the man page: lsieve manual | man -l -");
  return {app, [&root, &session] { return manual(root, session); }};
}

Command declare_completion(CLI::App& root, Session& session) {
  CLI::App* app = root.add_subcommand("completion", "Print the completion for bash: source <(lsieve completion)");
  return {app, [&root, &session] { return completion(root, session); }};
}

}  // namespace sieve::internal::cli
