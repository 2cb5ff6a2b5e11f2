#include "cli/session.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <nlohmann/json.hpp>

namespace sieve::internal::cli {

namespace {
std::atomic<Watch*> interrupted{nullptr};
std::atomic<bool> share_shown{false};

extern "C" void on_interrupt(int) {
  if (Watch* w = interrupted.load()) w->stop();
}
}  // namespace

Resources Session::resources() const {
  Resources r = io::resources(limits);
  r.picture = [this](const std::string& name) { return read(name).image; };
  return r;
}

io::Loaded Session::read(const std::string& path, Pipes pipes) const {
  // Of what a watch hears only a larger share is told: the one at the end of reading would hide that of the work.
  Watch unheard;
  unheard.follow(current_watch());
  unheard.on_progress = [](double) {};
  const Watch::Active active(unheard);
  if (path != "-") {
    io::Limits wanted = limits;
    wanted.pipes = pipes == Pipes::allowed;
    return io::read(path, wanted);
  }
  const std::lock_guard lock(standard_input->mutex);
  if (!standard_input->loaded) {
    std::vector<std::uint8_t> bytes;
    constexpr std::size_t kBlock = 1 << 16;
    for (;;) {
      checkpoint();
      const std::size_t n = bytes.size();
      bytes.resize(n + kBlock);
      const ssize_t got = ::read(STDIN_FILENO, bytes.data() + n, kBlock);
      if (got < 0 && errno != EINTR)
        throw Error(fmt::format("standard input cannot be read: {}", std::strerror(errno)));
      bytes.resize(n + static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
      if (got == 0) break;
      if (bytes.size() > limits.file_bytes)
        throw Error(fmt::format("standard input is longer than the limit of {} bytes: raise Limits::file_bytes",
                                limits.file_bytes));
    }
    standard_input->loaded = io::decode(bytes.data(), bytes.size(), "standard input", limits);
  }
  return *standard_input->loaded;
}

std::string in_words_of_the_tool(std::string line) {
  const std::pair<std::string_view, std::string_view> names[] = {
      {"Limits::file_bytes", "--max-bytes"}, {"Limits::pixels", "--max-pixels"}, {"Limits::memory", "--max-memory"}};
  for (const auto& [field, option] : names) {
    if (const std::size_t at = line.find(field); at != std::string::npos) line.replace(at, field.size(), option);
  }
  if (line.find("no filter is called") != std::string::npos) line += "; `lsieve list` shows them";
  return line;
}

void print_error(const std::string& line) {
  std::fflush(stdout);
  say(stderr, "lsieve: {}\n", on_one_line(shortened(in_words_of_the_tool(line))));
}

std::string base_name(const std::string& path) { return on_one_line(path.substr(path.find_last_of('/') + 1)); }

std::vector<std::string> chain_words(const Session& session, const std::vector<std::string>& words,
                                     const std::string& recipe, bool ranges) {
  if (recipe.empty() == words.empty())
    throw InvalidArgument("give either steps (NAME key=value ... [then ...]) or --recipe FILE");
  return recipe.empty()
             ? words
             : recipe_words(io::read_text(recipe, true), recipe, session.catalogue, session.resources(), ranges);
}

StageCurve profile(const std::string& spec, const Kernel& k) {
  StageCurve c{spec, {}, {}};
  for (int x = 0; x < k.width(); ++x) {
    c.x.push_back(x - k.anchor_x());
    c.y.push_back(k.at(x, k.anchor_y()));
  }
  return c;
}

double seconds_since(std::chrono::steady_clock::time_point start) {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void wipe_share() {
  if (share_shown.exchange(false)) fmt::print(stderr, "\r       \r");
}

namespace {

// Bytes that are not UTF-8, as names of files may hold them, become \xff; control characters of C1 and of bidirectional
// text are escaped the way JSON does it.
void escape_bytes(nlohmann::ordered_json& value) {
  if (value.is_structured()) {
    for (nlohmann::ordered_json& inner : value) escape_bytes(inner);
  } else if (value.is_string()) {
    auto& text = value.get_ref<std::string&>();
    if (!is_utf8(text)) text = visible(text);
  }
}

}  // namespace

void print_json(nlohmann::ordered_json value, std::FILE* to) {
  wipe_share();
  escape_bytes(value);
  say(to, "{}\n", value.dump(2));
}

void write_sheet(const draw::Sheet& sheet, const std::string& path) {
  if (io::format_of_name(path) != io::Format::png)
    throw InvalidArgument(path + ": a sheet is a PNG: give a name that ends in .png");
  io::write_bytes(path, sheet.png());
  wipe_share();
  say(stderr, "sheet: {}\n", on_one_line(path));
}

std::optional<int> bits_of_text(const std::string& depth) {
  if (depth.empty()) return std::nullopt;
  if (depth == "float") return 32;
  const auto v = internal::parse_whole(depth);
  if (!v || *v < 1 || *v > 32) throw InvalidArgument("--depth " + depth + ": give 1 to 16 (bits a sample) or float");
  return static_cast<int>(*v);
}

std::string record_after(const io::Loaded& in, const Chain& chain) {
  std::string record = record_of(chain);
  if (in.record.empty()) return record;
  try {
    return record.insert(record.find(" | ") + 3, chain_text_of_record(in.record) + " then ");
  } catch (const InvalidArgument&) {
    wipe_share();
    say(stderr, "note: the record in the input is damaged and is left out\n");
    return record;
  }
}

const char* channel_name(int channel, const Shape& shape) {
  if (shape.has_alpha() && channel == shape.channels - 1) return "alpha";
  if (shape.color_channels() == 1) return "gray";
  constexpr const char* names[] = {"red", "green", "blue"};
  return names[channel];
}

std::string time_text(double seconds) {
  return seconds < 1 ? fmt::format("{:.3g} ms", 1e3 * seconds) : fmt::format("{:.3g} s", seconds);
}

Attended::Attended(Telling telling) {
  outer_ = interrupted.exchange(&watch_);
  struct sigaction action {};
  action.sa_handler = on_interrupt;
  action.sa_flags = static_cast<int>(SA_RESETHAND);  // a second Ctrl-C ends the program at once
  for (std::size_t i = 0; i < std::size(kSignals); ++i) {
    ::sigaction(kSignals[i], &action, &before_[i]);
    // Who had the signal ignored (nohup, a shell's background) wants the work to go on.
    if (before_[i].sa_handler == SIG_IGN) ::sigaction(kSignals[i], &before_[i], nullptr);
  }
  if (telling == Telling::progress && ::isatty(STDERR_FILENO) != 0)
    watch_.on_progress = [this](double share) { tell(share); };
}

void Attended::tell(double share) const {
  if (::isatty(STDERR_FILENO) == 0 || std::chrono::steady_clock::now() - start_ < std::chrono::seconds(1)) return;
  share_shown = true;
  fmt::print(stderr, "\r{:3.0f} % ", 100 * share);
  std::fflush(stderr);
}

Attended::~Attended() {
  wipe_share();
  for (std::size_t i = 0; i < std::size(kSignals); ++i) ::sigaction(kSignals[i], &before_[i], nullptr);
  interrupted = outer_;
}

}  // namespace sieve::internal::cli
