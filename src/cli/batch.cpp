#define XXH_INLINE_ALL
#include <fmt/format.h>
#include <sys/ioctl.h>
#include <unistd.h>
#include <xxhash.h>

#include <CLI/CLI.hpp>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstdio>
#include <filesystem>
#include <functional>
#include <mutex>
#include <nlohmann/json.hpp>
#include <system_error>
#include <thread>

#include "cli/batch_files.hpp"
#include "cli/batch_journal.hpp"
#include "cli/device_use.hpp"
#include "cli/output.hpp"
#include "cli/session.hpp"
#include "cli/trial.hpp"
#include "core/memory.hpp"
#include "sieve/core/version.hpp"

namespace sieve::internal::cli {

namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

struct BatchArguments {
  BatchChoice choice;
  WriteArguments writing;
  DeviceArguments device;
  std::string recipe, memory, shard;
  int workers = 0;
  bool resume = false, stop_on_error = false, json = false;
};

// Source, result and what filters need beside them, for each byte of the picture's samples: whole-picture transforms in
// double take the most.
constexpr double kNeed = 8;

double bytes_of_text(const std::string& text) {
  if (text.empty()) return 0.5 * static_cast<double>(available_memory());
  const std::size_t letter = text.find_first_not_of("0123456789.");
  const auto v = internal::parse_number(text.substr(0, letter));
  const std::string unit = letter == std::string::npos ? "" : text.substr(letter);
  const double factor = unit == "K" ? 1e3 : unit == "M" ? 1e6 : unit == "G" ? 1e9 : unit.empty() ? 1 : 0;
  if (!v || *v <= 0 || factor == 0)
    throw InvalidArgument("--memory " + text + ": give bytes, or a number with K, M or G, as 800M");
  return *v * factor;
}

// Memory that workers share: as much as they take is given back before another gets it. Somebody who needs more than
// there is works alone.
class Budget {
 public:
  explicit Budget(double bytes) : bytes_(bytes) {}
  // need() is asked anew whenever something was given back; nothing known yet (0) means all there is.
  double take(const std::function<double()>& need) {
    std::unique_lock lock(mutex_);
    const auto now = [&] {
      const double n = need();
      return n > 0 ? n : bytes_;
    };
    double n = now();
    for (; taken_ > 0 && taken_ + n > bytes_; n = now()) {
      checkpoint();
      given_back_.wait_for(lock, std::chrono::milliseconds(100));
    }
    taken_ += n;
    return n;
  }
  void give_back(double need) {
    {
      const std::lock_guard lock(mutex_);
      taken_ -= need;
    }
    given_back_.notify_all();
  }

 private:
  std::mutex mutex_;
  std::condition_variable given_back_;
  double bytes_, taken_ = 0;
};

// A share of the budget, given back at the end.
class Share {
 public:
  Share(Budget& budget, const std::function<double()>& need) : budget_(budget), taken_(budget.take(need)) {}
  ~Share() { budget_.give_back(taken_); }
  Share(const Share&) = delete;
  Share& operator=(const Share&) = delete;
  double taken() const { return taken_; }
  // Takes another amount. More may have to be waited for, without holding any, so that two who wait never wait for each
  // other.
  void become(double need) {
    if (need <= taken_) return budget_.give_back(std::exchange(taken_, need) - need);
    budget_.give_back(std::exchange(taken_, 0));
    taken_ = budget_.take([need] { return need; });
  }

 private:
  Budget& budget_;
  double taken_;
};

// What became of a picture.
struct Outcome {
  enum class State { waiting, written, there, failed } state = State::waiting;
  double seconds = 0, megapixels = 0;
  std::size_t saturated = 0;
  std::string why;
  Report report = {};                       // of its steps, for --json
  std::uint64_t in_hash = 0, out_hash = 0;  // of the bytes that were decoded and written
};

// The line that tells how far it is: drawn over and over on a terminal, a line for each picture elsewhere.
class Teller {
 public:
  explicit Teller(const std::vector<BatchFile>& files) : count_(files.size()), terminal_(::isatty(STDERR_FILENO) != 0) {
    for (const BatchFile& f : files) {
      std::error_code unknown;
      const auto size = fs::file_size(f.in, unknown);
      file_bytes_.push_back(unknown ? 1 : 1 + static_cast<double>(size));
      bytes_ += file_bytes_.back();
    }
  }
  void finished(std::size_t number, const BatchFile& file, const Outcome& o) {
    const std::lock_guard lock(mutex_);
    ++done_;
    const double bytes = file_bytes_[number];
    bytes_done_ += bytes;
    if (o.state == Outcome::State::written) bytes_worked_ += bytes, ++worked_;
    if (o.state == Outcome::State::failed) {
      ++errors_;
      clear();
      print_error(o.why);
    } else if (!terminal_ && o.state == Outcome::State::written) {
      say(stderr, "{}/{} {} -> {} [{}]\n", done_, count_, on_one_line(file.in), on_one_line(file.out),
          time_text(o.seconds));
    }
    const auto now = std::chrono::steady_clock::now();
    if (terminal_ && (now - drawn_ > std::chrono::milliseconds(100) || done_ == count_)) {
      drawn_ = now;
      draw(std::chrono::duration<double>(now - start_).count());
    }
  }
  ~Teller() { clear(); }
  Teller(const Teller&) = delete;
  Teller& operator=(const Teller&) = delete;

 private:
  void draw(double elapsed) {
    // A line that is wider than the terminal would stay behind with every new one.
    winsize terminal{};
    const bool known = ::ioctl(STDERR_FILENO, TIOCGWINSZ, &terminal) == 0 && terminal.ws_col > 0;
    const std::size_t columns = known ? terminal.ws_col : 80;
    // A large picture counts more than a small one.
    const double share = bytes_done_ / bytes_;
    const double rate = static_cast<double>(worked_) / std::max(1e-9, elapsed);
    const long left =
        bytes_worked_ > 0 ? std::lround(std::max(0.0, bytes_ - bytes_done_) / bytes_worked_ * elapsed) : 0;
    // What finds no room is left out, the least needed first: the bar, then the pace.
    const std::string said =
        fmt::format("{}/{}", done_, count_) + (errors_ == 0 ? "" : fmt::format("  {} failed", errors_));
    std::string pace = worked_ == 0 ? "" : fmt::format("  {:.1f} a second  {}:{:02} left", rate, left / 60, left % 60);
    if (said.size() + pace.size() >= columns) pace.clear();
    constexpr std::size_t kWide = 24;
    const std::size_t room = columns - std::min(columns, said.size() + pace.size() + 2);
    const std::size_t wide = room < 4 ? 0 : std::min(kWide, room);
    const auto filled = std::min(wide, static_cast<std::size_t>(static_cast<double>(wide) * share));
    fmt::print(stderr, "\r{:\u2588<{}}{:\u2591<{}}{}{}{}\033[K", "", filled, "", wide - filled, wide > 0 ? " " : "",
               said, pace);
    std::fflush(stderr);
    shown_ = true;
  }
  void clear() {
    if (shown_) fmt::print(stderr, "\r\033[K");
    shown_ = false;
  }
  std::mutex mutex_;
  std::size_t count_, done_ = 0, worked_ = 0, errors_ = 0;
  std::vector<double> file_bytes_;
  double bytes_ = 0, bytes_done_ = 0, bytes_worked_ = 0;  // of the files
  bool terminal_, shown_ = false;
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now(), drawn_{};
};

class Batch {
 public:
  Batch(const Session& session, const BatchArguments& o)
      : session_(session),
        options_(o),
        engine_(o.device),
        chain_(Chain::parse(chain_words(session, session.behind_dashes, o.recipe, false), session.catalogue,
                            hashing(session.resources()))),
        budget_(bytes_of_text(o.memory)) {
    write_ = o.writing.options();
    if (!o.shard.empty()) shard_ = shard_of(o.shard);
    std::vector<BatchFile> all = batch_files(o.choice);
    for (std::size_t i = static_cast<std::size_t>(shard_.index) - 1; i < all.size();
         i += static_cast<std::size_t>(shard_.count))
      files_.push_back(all[i]);
    outcomes_.resize(files_.size());
  }

  int run() {
    fs::create_directories(options_.choice.into);
    const std::string name =
        shard_.count == 1 ? "batch.journal" : fmt::format("batch-{}-of-{}.journal", shard_.index, shard_.count);
    BatchJournal journal((fs::path(options_.choice.into) / name).string(), settings(), options_.resume);
    const auto start = std::chrono::steady_clock::now();
    Attended attended;
    Watch* watch = current_watch();
    watch->on_progress = {};  // the teller counts pictures
    bool stopped = false;
    {
      Teller teller(files_);
      const auto workers = std::min<std::size_t>(
          files_.size(), static_cast<std::size_t>(options_.workers > 0 ? options_.workers : threads()));
      const auto worker = [&] {
        const Watch::Active active(watch);
        try {
          work(journal, teller, *watch);
        } catch (...) {
          failed_for_all();
        }
      };
      std::vector<std::jthread> pool;
      try {
        while (pool.size() < workers) pool.emplace_back(worker);
      } catch (const std::system_error&) {
        if (pool.empty()) worker();  // the system gives no threads; where it gives some, they do the work
      }
      pool.clear();  // until they end
      stopped = watch->stopped();
    }
    report(seconds_since(start));
    if (failure_) std::rethrow_exception(failure_);
    if (stopped) throw Error("stopped; the same command with --resume goes on");
    const std::size_t failed = count(Outcome::State::failed), waiting = count(Outcome::State::waiting);
    if (failed == 0) return 0;
    throw Error(fmt::format("{} of {} pictures failed{}", failed, files_.size(),
                            waiting > 0 ? fmt::format(", {} were not begun (--stop-on-error)", waiting) : ""));
  }

 private:
  // Files that the chain names are inputs, too: the hash of their samples or text is one of the settings.
  Resources hashing(Resources files) {
    const auto add = [this](const std::string& name, std::uint64_t hash) {
      operands_ += fmt::format(" | {} {:016x}", name, hash);
    };
    files.picture = [this, add](const std::string& name) {
      io::Loaded l = session_.read(name);
      add(name, l.file_hash);
      return std::move(l.image);
    };
    files.text = [text = files.text, add](const std::string& name) {
      std::string content = text(name);
      add(name, XXH3_64bits(content.data(), content.size()));
      return content;
    };
    return files;
  }

  // All that the bytes of the results depend on beside the inputs.
  std::string settings() const {
    const WriteArguments& w = options_.writing;
    return fmt::format("lean-sieve {} {} | {} | depth {} | quality {} | compression {} | device {} | shard {}/{}{}",
                       version(), simd_target(), chain_.text(true), w.depth.empty() ? "as it comes" : w.depth,
                       w.quality, w.compression, options_.device.device.empty() ? "none" : options_.device.device,
                       shard_.index, shard_.count, operands_);
  }

  void work(BatchJournal& journal, Teller& teller, const Watch& watch) {
    for (;;) {
      const std::size_t i = next_.fetch_add(1);
      if (i >= files_.size() || watch.stopped() || over_) return;
      Outcome o;
      try {
        o = one(files_[i], journal);
      } catch (const Canceled&) {
        return;
      } catch (const std::bad_alloc&) {
        o.state = Outcome::State::failed;
        o.why = files_[i].in + ": memory ran out; try fewer --workers or less --memory";
      } catch (const std::exception& e) {
        o.state = Outcome::State::failed;
        o.why = in_words_of_the_tool(std::string(e.what()).find(files_[i].in) == std::string::npos &&
                                             std::string(e.what()).find(files_[i].out) == std::string::npos
                                         ? files_[i].in + ": " + e.what()
                                         : e.what());
      }
      if (o.state == Outcome::State::failed && options_.stop_on_error) over_ = true;
      if (o.state == Outcome::State::written) {
        try {
          journal.add(files_[i], o.in_hash, o.out_hash);
        } catch (...) {
          failed_for_all();  // without a journal nothing could go on later
        }
      }
      outcomes_[i] = o;
      teller.finished(i, files_[i], o);
    }
  }

  void failed_for_all() {
    const std::lock_guard lock(mutex_);
    failure_ = std::current_exception();
    over_ = true;
  }

  Outcome one(const BatchFile& file, const BatchJournal& journal) {
    if (options_.resume) {
      if (journal.done(file)) return {Outcome::State::there, 0, 0, 0, ""};
      remove_parts(file.out);
    }
    refuse_links(options_.choice.into, file.out);
    const auto start = std::chrono::steady_clock::now();
    // What the largest picture so far took; the first of all is read alone, and one that needs more is read again when
    // there is room.
    Share share(budget_, [&] { return largest_.load(); });
    io::Loaded in = session_.read(file.in);
    const double need = kNeed * static_cast<double>(in.image.shape().samples()) * sizeof(float);
    for (double known = largest_.load(); known < need && !largest_.compare_exchange_weak(known, need);) {
    }
    const bool waits = need > share.taken();
    if (waits) in = {};
    share.become(need);
    if (waits) in = session_.read(file.in);
    const Run run = engine_->run(chain_, in.image, {.figures = options_.json});
    const Image& result = run.image;
    io::WriteOptions options = write_;
    options.record = record_after(in, chain_);
    if (result.shape().color_channels() == in.image.shape().color_channels()) options.profile = in.profile;
    fs::create_directories(fs::path(file.out).parent_path());
    io::Written written;
    const std::vector<std::uint8_t> bytes = io::encode(file.out, result, options, &written);
    io::write_bytes(file.out, bytes, false);
    return {Outcome::State::written,
            seconds_since(start),
            static_cast<double>(in.image.shape().pixels()) / 1e6,
            written.saturation.total(),
            "",
            run.report,
            in.file_hash,
            XXH3_64bits(bytes.data(), bytes.size())};
  }

  // What a killed run left beside a result.
  static void remove_parts(const std::string& out) {
    std::error_code ignored;
    const fs::path folder = fs::path(out).parent_path();
    const std::string name = fs::path(out).filename().string();
    if (!fs::is_directory(folder, ignored)) return;
    for (const auto& e : fs::directory_iterator(folder, ignored)) {
      if (is_part_of(e.path().filename().string(), name) && fs::is_regular_file(e.symlink_status(ignored)))
        fs::remove(e.path(), ignored);
    }
  }

  std::size_t count(Outcome::State state) const {
    return static_cast<std::size_t>(
        std::count_if(outcomes_.begin(), outcomes_.end(), [state](const Outcome& o) { return o.state == state; }));
  }

  void report(double seconds) const {
    double megapixels = 0;
    std::size_t saturated = 0, saturated_pictures = 0;
    for (const Outcome& o : outcomes_) {
      megapixels += o.megapixels;
      saturated += o.saturated;
      saturated_pictures += o.saturated > 0 ? 1 : 0;
    }
    const std::size_t written = count(Outcome::State::written), there = count(Outcome::State::there),
                      failed = count(Outcome::State::failed), waiting = count(Outcome::State::waiting);
    if (options_.json) {
      ordered_json pictures = ordered_json::array();
      constexpr const char* names[] = {"not begun", "written", "already there", "failed"};
      for (std::size_t i = 0; i < files_.size(); ++i) {
        const Outcome& o = outcomes_[i];
        ordered_json j = {
            {"input", files_[i].in}, {"output", files_[i].out}, {"state", names[static_cast<std::size_t>(o.state)]}};
        if (o.state == Outcome::State::written) {
          j["seconds"] = o.seconds;
          j["saturated"] = o.saturated;
          j["steps"] = steps_json(chain_, o.report);
        }
        if (!o.why.empty()) j["error"] = o.why;
        pictures.push_back(j);
      }
      print_json({{"chain", chain_.text()},
                  {"shard", {{"index", shard_.index}, {"count", shard_.count}}},
                  {"written", written},
                  {"already_there", there},
                  {"failed", failed},
                  {"not_begun", waiting},
                  {"megapixels", megapixels},
                  {"seconds", seconds},
                  {"saturated", saturated},
                  {"pictures", pictures}});
      return;
    }
    say("{:<14} {:>8}\n{:<14} {:>8}\n{:<14} {:>8}\n{:<14} {:>8}\n", "written", written, "already there", there,
        "failed", failed, "not begun", waiting);
    say("{:<14} {:>8.1f} in {}: {:.1f} a second\n", "megapixels", megapixels, time_text(seconds),
        megapixels / std::max(1e-9, seconds));
    if (saturated > 0)
      say("{:<14} {:>8} {} in {}: put clip, stretch or absolute last, or write float\n", "saturated", saturated,
          saturated == 1 ? "sample" : "samples", counted(saturated_pictures, "picture", "pictures"));
    for (std::size_t i = 0; i < files_.size(); ++i) {
      if (outcomes_[i].state == Outcome::State::failed) say("failed: {}\n", on_one_line(outcomes_[i].why));
    }
  }

  const Session& session_;
  const BatchArguments& options_;
  ChosenEngine engine_;
  std::string operands_;  // files that the chain names, with their hashes; before the chain, which fills it
  Chain chain_;
  io::WriteOptions write_;
  Shard shard_;
  std::vector<BatchFile> files_;
  std::vector<Outcome> outcomes_;
  Budget budget_;
  std::atomic<double> largest_ = 0;
  std::atomic<std::size_t> next_ = 0;
  std::atomic<bool> over_ = false;
  std::mutex mutex_;
  std::exception_ptr failure_;
};

int batch(const Session& session, const BatchArguments& o) {
  if (o.choice.into.empty()) throw InvalidArgument("--into is missing: the folder for the results");
  if (!o.choice.ending.empty() && !io::format_of_name("x." + o.choice.ending))
    throw InvalidArgument(fmt::format("--format {}: known are {}", o.choice.ending, io::known_endings()));
  return Batch(session, o).run();
}

}  // namespace

Command declare_batch(CLI::App& root, Session& session) {
  auto o = std::make_shared<BatchArguments>();
  CLI::App* app =
      root.add_subcommand("batch", "Run a chain of filters on many pictures: folders, patterns, part after part.");
  app->add_option("PATH", o->choice.paths, "pictures, folders, and patterns in quotes ('night-*.png')")->required();
  app->add_option("--into", o->choice.into, "folder for the results; the folders of the pictures are made below it")
      ->required();
  app->add_option("--recipe", o->recipe, "take the chain from this TOML file; else it stands behind --");
  app->add_flag("--recursive", o->choice.recursive, "folders within folders, too");
  app->add_option("--format", o->choice.ending, "ending of the results, as png; default: as the picture's");
  o->writing.declare(app);
  app->add_option("--workers", o->workers, "pictures at a time at most; default: one a processor")
      ->check(CLI::Range(1, 1024));
  app->add_option("--memory", o->memory,
                  "what all pictures at work may take, as 800M or 4G; default: half of what is free");
  app->add_option("--shard", o->shard, "do part I of N only: I/N, or auto within a job array");
  app->add_flag("--resume", o->resume, "go on with a run that was stopped: what is done and whole stays");
  app->add_flag("--stop-on-error", o->stop_on_error, "begin no other picture after one that failed");
  declare_device(app, o->device);
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve batch --into clean --recursive camera -- median radius=1 then stretch percent=1");
  return {app, [o, &session] { return batch(session, *o); }};
}

}  // namespace sieve::internal::cli
