#pragma once
// What all commands share: the catalogue, reading files for parameters, sheets, progress and Ctrl-C.

#include <CLI/App.hpp>
#include <chrono>
#include <csignal>
#include <functional>
#include <iterator>
#include <memory>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "cli/terminal.hpp"
#include "sieve/draw.hpp"
#include "sieve/io.hpp"
#include "sieve/reference/definitions.hpp"
#include "sieve/sieve.hpp"

namespace sieve::internal::cli {

// What came in by standard input, once it was read.
struct StandardInput {
  std::mutex mutex;
  std::optional<io::Loaded> loaded;
};

struct Session {
  const Catalogue& catalogue;
  const reference::Definitions& definitions;
  io::Limits limits;
  int threads = 0;
  std::vector<std::string> behind_dashes = {};  // the words behind --
  std::shared_ptr<StandardInput> standard_input = std::make_shared<StandardInput>();

  // Opens the files that parameters name.
  Resources resources() const;
  // The picture of a file, or of standard input, "-", however often it is asked for. Named pipes and devices are for
  // the inputs of apply and look alone.
  enum class Pipes { refused, allowed };
  io::Loaded read(const std::string& path, Pipes pipes = Pipes::refused) const;
};

// A command: its options are declared, and `work` is called after parsing; it returns the exit code.
struct Command {
  CLI::App* app;
  std::function<int()> work;
};

Command declare_advise(CLI::App& root, Session& session);
Command declare_look(CLI::App& root, Session& session);
Command declare_live(CLI::App& root, Session& session);
Command declare_levels(CLI::App& root, Session& session);
Command declare_apply(CLI::App& root, Session& session);
Command declare_batch(CLI::App& root, Session& session);
Command declare_list(CLI::App& root, Session& session);
Command declare_kernel(CLI::App& root, Session& session);
Command declare_psf(CLI::App& root, Session& session);
Command declare_find_psf(CLI::App& root, Session& session);
Command declare_compaction(CLI::App& root, Session& session);
Command declare_pack(CLI::App& root, Session& session);
Command declare_rate(CLI::App& root, Session& session);
Command declare_unpack(CLI::App& root, Session& session);
Command declare_judge(CLI::App& root, Session& session);
Command declare_lineup(CLI::App& root, Session& session);
Command declare_sweep(CLI::App& root, Session& session);
Command declare_verify(CLI::App& root, Session& session);
Command declare_time(CLI::App& root, Session& session);
Command declare_manual(CLI::App& root, Session& session);
Command declare_completion(CLI::App& root, Session& session);
Command declare_demo(CLI::App& root, Session& session);
Command declare_devices(CLI::App& root, Session& session);

// A message of the library in the words of the tool: the library names a limit by its field, which here is an option,
// and cannot say where all filters are listed.
std::string in_words_of_the_tool(std::string line);
// An error on a line of its own, in the words of the tool.
void print_error(const std::string& line);

// "noon.png" of "data/demo/noon.png", to be shown.
std::string base_name(const std::string& path);

// The chain of words, or of a recipe file; InvalidArgument where both or neither are given.
std::vector<std::string> chain_words(const Session& session, const std::vector<std::string>& words,
                                     const std::string& recipe, bool ranges);

// The value of an enumeration that an option names; InvalidArgument lists them all.
template <class E>
E choice_of(const std::string& option, const std::string& text) {
  std::vector<std::string> names;
  for (const auto& [name, value] : ChoiceNames<E>::all()) {
    if (text == name) return value;
    names.emplace_back(name);
  }
  throw InvalidArgument(option + " " + text + ": give one of " + listed(names));
}

// The row of a kernel through its anchor.
StageCurve profile(const std::string& spec, const Kernel& k);

// Takes the share that is done off the terminal: what is told next begins where it stood.
void wipe_share();

// Prints one JSON value.
void print_json(nlohmann::ordered_json value, std::FILE* to = stdout);

// Writes a sheet and says where it is on standard error. InvalidArgument for a name that does not end in .png.
void write_sheet(const draw::Sheet& sheet, const std::string& path);

// Bits a sample of a --depth option: "float" is 32, "" nothing. InvalidArgument for anything else.
std::optional<int> bits_of_text(const std::string& depth);

// The record of a chain that was run on a picture; what that one's own record names comes first. A damaged record is
// left out, with a note.
std::string record_after(const io::Loaded& in, const Chain& chain);

// "gray", "red", ... for a channel of a picture.
const char* channel_name(int channel, const Shape& shape);

// Seconds from a moment until now.
double seconds_since(std::chrono::steady_clock::time_point start);

// "12.3 ms", "1.25 s".
std::string time_text(double seconds);

// Shows progress on a terminal from the first second on, and turns Ctrl-C, and the signals that end a program or its
// terminal, into Watch::stop(). What they did before is put back at its end: whoever calls the tool from a program of
// his own keeps his handlers.
class Attended {
 public:
  // Work that is timed is not listened to, since that takes time of its own; its command tells the share.
  enum class Telling { progress, nothing };
  explicit Attended(Telling telling = Telling::progress);
  ~Attended();
  Attended(const Attended&) = delete;
  Attended& operator=(const Attended&) = delete;

  // The share of all that is done, 0..1.
  void tell(double share) const;

 private:
  Watch watch_;
  Watch::Active active_{watch_};
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
  Watch* outer_ = nullptr;
  static constexpr int kSignals[] = {SIGINT, SIGTERM, SIGHUP};
  struct sigaction before_[std::size(kSignals)]{};
};

}  // namespace sieve::internal::cli
