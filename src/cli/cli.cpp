#include "sieve/cli.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <exception>
#include <functional>
#include <new>
#include <string_view>
#include <system_error>

#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

struct NamedCommand {
  std::string_view name;
  Command (*declare)(CLI::App& root, Session& session);
  bool tells_all = false;  // the options of all commands
};

// In the order of the help.
constexpr NamedCommand kCommands[] = {{"look", declare_look},
                                      {"advise", declare_advise},
                                      {"psf", declare_psf},
                                      {"find-psf", declare_find_psf},
                                      {"levels", declare_levels},
                                      {"apply", declare_apply},
                                      {"batch", declare_batch},
                                      {"list", declare_list},
                                      {"kernel", declare_kernel},
                                      {"judge", declare_judge},
                                      {"lineup", declare_lineup},
                                      {"sweep", declare_sweep},
                                      {"pack", declare_pack},
                                      {"unpack", declare_unpack},
                                      {"rate", declare_rate},
                                      {"compaction", declare_compaction},
                                      {"verify", declare_verify},
                                      {"time", declare_time},
                                      {"devices", declare_devices},
                                      {"demo", declare_demo},
                                      {"live", declare_live},
                                      {"manual", declare_manual, true},
                                      {"completion", declare_completion, true}};

int fail(int code, const std::string& line) {
  print_error(line);
  return code;
}

// The first word that is no option of the tool itself, nor the value of one: the command. Null where there is none.
const char* command_of(const CLI::App& app, int argc, const char* const* argv) {
  for (int i = 1; i < argc; ++i) {
    const std::string_view word = argv[i];
    if (!word.starts_with('-')) return argv[i];
    const CLI::Option* option = app.get_option_no_throw(std::string(word));
    if (option != nullptr && option->get_expected_min() > 0) ++i;
  }
  return nullptr;
}

int run_command(int argc, const char* const* argv, const Catalogue& catalogue,
                const reference::Definitions& definitions) {
  Session session{catalogue, definitions, {}, 0};
  CLI::App app{"Lean Sieve: look at pictures, filter them, and see every step.", "lsieve"};
  app.set_version_flag("--version", "lsieve " SIEVE_VERSION);
  app.add_option("--threads", session.threads, "threads to use; default: one a processor")->check(CLI::Range(1, 4096));
  app.add_option("--max-pixels", session.limits.pixels, "refuse larger pictures (default 536870912)");
  app.add_option("--max-bytes", session.limits.file_bytes, "refuse larger files (default 4294967296)");
  app.add_option("--max-memory", session.limits.memory,
                 "refuse images that take more bytes to decode (default: 4 GiB, or half of what is available)");
  app.require_subcommand(1);
  app.footer("Exit code: 0 done, 1 the work failed, 2 the call was wrong. Try `lsieve demo`, then `lsieve list`.");
  // The chain of a batch stands behind --, so that its words are not taken for pictures.
  const auto command = std::find_if(argv + std::min(argc, 1), argv + argc, [](const char* a) {
    return std::string_view(a) == "batch" || std::string_view(a) == "--";
  });
  if (command != argv + argc && std::string_view(*command) == "batch") {
    const auto dashes = std::find_if(command, argv + argc, [](const char* a) { return std::string_view(a) == "--"; });
    session.behind_dashes.assign(std::min(dashes + 1, argv + argc), argv + argc);
    argc = static_cast<int>(dashes - argv);
  }
  const char* const given = command_of(app, argc, argv);
  const auto named = std::find_if(std::begin(kCommands), std::end(kCommands),
                                  [given](const NamedCommand& c) { return given != nullptr && c.name == given; });
  if (given != nullptr && named == std::end(kCommands)) {
    std::vector<std::string> names;
    for (const NamedCommand& c : kCommands) names.emplace_back(c.name);
    const std::string near = nearest_name(given, names);
    return fail(2, fmt::format("no command is called '{}'{}; there are {} (see `lsieve --help`)", given,
                               near.empty() ? "" : fmt::format(", did you mean '{}'", near), listed(names)));
  }
  // The options of all are needed only where all are told.
  std::vector<Command> commands;
  for (const NamedCommand& c : kCommands) {
    if (named == std::end(kCommands) || named->tells_all || &c == named) commands.push_back(c.declare(app, session));
  }
  try {
    app.parse(argc, argv);
  } catch (const CLI::Success& e) {
    return app.exit(e);  // help and version
  } catch (const CLI::ParseError& e) {
    const std::string where = given != nullptr ? fmt::format("lsieve {} --help", given) : "lsieve --help";
    return fail(2, fmt::format("{} (see `{}`)", e.what(), where));
  }
  if (session.threads > 0) set_threads(session.threads);
  for (const Command& c : commands) {
    if (c.app->parsed()) return c.work();
  }
  return 2;
}

void tell_no_memory() {
  std::fputs("lsieve: memory ran out: crop or shrink the picture, or close other programs\n", stderr);
}

// JSON values take memory to be destroyed, where nothing may be thrown: the program ends there, but not without a word.
class NoMemoryAnywhere {
 public:
  NoMemoryAnywhere() {
    if (before_ != end) own_ = before_;
  }
  ~NoMemoryAnywhere() { std::set_terminate(before_); }
  NoMemoryAnywhere(const NoMemoryAnywhere&) = delete;
  NoMemoryAnywhere& operator=(const NoMemoryAnywhere&) = delete;

 private:
  [[noreturn]] static void end() {
    try {
      if (const auto why = std::current_exception()) std::rethrow_exception(why);
    } catch (const std::bad_alloc&) {
      tell_no_memory();
      std::_Exit(1);
    } catch (...) {
    }
    if (own_ != nullptr) own_();
    std::abort();
  }
  static inline std::terminate_handler own_ = nullptr;  // of the program that calls
  std::terminate_handler before_ = std::set_terminate(end);
};

int fail_of_output(int error) {
  return fail(1, fmt::format("standard output: {}: what was to be told there is lost",
                             error != 0 ? std::strerror(error) : "it failed"));
}

// What the command gives; an error is told, also where no memory is left to put its line together.
int guarded(const std::function<int()>& command) {
  const NoMemoryAnywhere words;
  try {
    try {
      return command();
    } catch (const std::bad_alloc&) {
      throw;
    } catch (const InvalidArgument& e) {
      return fail(2, e.what());
    } catch (const Canceled& e) {  // no std::exception, so that nothing catches it by mistake
      return fail(1, e.what());
    } catch (const std::system_error& e) {
      // Printing throws where its buffer is full and does not go out.
      return std::ferror(stdout) != 0 ? fail_of_output(e.code().value()) : fail(1, e.what());
    } catch (const std::exception& e) {
      return fail(1, e.what());
    }
  } catch (const std::bad_alloc&) {
    std::fflush(stdout);
    tell_no_memory();
    return 1;
  }
}

// What is told is part of the work: a full disk or a closed output behind it must not pass for success.
int told(int code) {
  errno = 0;
  if (code != 0 || (std::fflush(stdout) == 0 && std::ferror(stdout) == 0)) return code;
  return fail_of_output(errno);
}

}  // namespace

}  // namespace sieve::internal::cli

int sieve::cli::run(int argc, const char* const* argv, const Catalogue& catalogue,
                    const reference::Definitions& definitions) {
  using namespace internal::cli;
  return guarded([&] { return told(run_command(argc, argv, catalogue, definitions)); });
}

int sieve::cli::run(int argc, const char* const* argv) {
  using namespace internal::cli;
  return guarded(
      [&] { return told(run_command(argc, argv, Catalogue::standard(), reference::Definitions::standard())); });
}
