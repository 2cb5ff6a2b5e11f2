// Hours in one process: an engine that runs random steps with random deadlines and stops, a live page under requests,
// and batches, side by side. Once a minute it tells memory, open files and threads; at the end it says whether they
// stayed flat, and exits with 1 where they did not.

#include <fmt/format.h>
#include <httplib.h>
#include <malloc.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <string>
#include <thread>
#include <vector>

#include "../fuzz/random_steps.hpp"
#include "sieve/cli.hpp"
#include "sieve/io.hpp"
#include "sieve/page.hpp"
#include "sieve/run.hpp"

namespace {

using namespace sieve;
namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

std::vector<std::uint8_t> random_bytes(std::uint64_t seed) {
  std::vector<std::uint8_t> bytes(300);
  const RandomStream random(seed, 3);
  for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] = static_cast<std::uint8_t>(256 * random.uniform(i));
  return bytes;
}

// A third of the runs gets a deadline, a third is stopped by another thread, at a time that nobody chose.
void run_steps(const std::stop_token& over, std::atomic<long>& count) {
  // What it keeps for later runs is bounded, and full within the first minutes.
  Engine engine({.memory = std::size_t{64} << 20});
  for (std::uint64_t seed = 1; !over.stop_requested(); ++seed, ++count) {
    const auto raw = random_bytes(seed);
    fuzz::Bytes bytes(raw);
    const Image in = fuzz::random_picture(bytes, 200, fuzz::Samples::usual);
    const RandomStream random(seed, 4);
    const auto moment = std::chrono::microseconds(static_cast<long>(20000 * random.uniform(0)));
    Watch watch;
    const Watch::Active active(&watch);
    std::jthread stopper;
    RunOptions options;
    if (seed % 3 == 1) options.deadline = moment;
    if (seed % 3 == 2) {
      stopper = std::jthread([&watch, moment] {
        std::this_thread::sleep_for(moment);
        watch.stop();
      });
    }
    try {
      (void)engine.run(fuzz::random_filter(bytes, fuzz::second_of(in)), in, options);
    } catch (const Canceled&) {
    } catch (const Error&) {
    }
  }
}

void ask_page(const std::stop_token& over, std::atomic<long>& count, const std::string& address) {
  const std::size_t host = address.find("//") + 2, slash = address.find('/', host);
  const std::string path = address.substr(slash);
  constexpr const char* chains[] = {"median radius=3", "nonlocal_means", "gaussian sigma=2 then unsharp", "gausian"};
  for (long i = 0; !over.stop_requested(); ++i, ++count) {
    httplib::Client client(address.substr(0, slash));
    client.set_read_timeout(60);
    const auto post = [&](const char* what, const nlohmann::json& body) {
      (void)client.Post(path + what, body.dump(), "application/json");
    };
    const std::string page = "page " + std::to_string(i % 7);
    if (i % 5 == 0) (void)client.Get(path);
    std::jthread beside;
    if (i % 3 == 0) beside = std::jthread([&] { post("stop", {{"page", page}}); });
    post("run", {{"page", page}, {"chain", chains[i % 4]}, {"figures", i % 2 == 0}});
  }
}

void run_batches(const std::stop_token& over, std::atomic<long>& count, const std::string& folder) {
  for (int i = 0; i < 6; ++i)
    (void)io::write(folder + "/" + std::to_string(i) + ".png", GaussianNoise{.deviation = 0.1F}(Image(300, 200, 3)));
  for (; !over.stop_requested(); ++count) {
    const std::string into = folder + "/into";
    const std::vector<const char*> words = {"lsieve", "batch",  folder.c_str(), "--into", into.c_str(),
                                            "--",     "median", "then",         "stretch"};
    (void)cli::run(static_cast<int>(words.size()), words.data());
    fs::remove_all(into);
  }
}

struct Sample {
  double megabytes = 0, held = 0;  // of memory: what the system lent, and what of it is in use
  long files = 0, threads = 0;
};
Sample sample() {
  const auto entries = [](const char* folder) {
    return static_cast<long>(std::distance(fs::directory_iterator(folder), fs::directory_iterator{}));
  };
  const struct mallinfo2 heap = mallinfo2();
  Sample s{0, static_cast<double>(heap.uordblks + heap.hblkhd) / (1 << 20), entries("/proc/self/fd"),
           entries("/proc/self/task")};
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);) {
    if (line.starts_with("VmRSS:")) s.megabytes = std::strtod(line.c_str() + 6, nullptr) / 1024;
  }
  return s;
}

// The most of each over so many samples.
Sample most(const std::vector<Sample>& all, std::size_t first, std::size_t last) {
  Sample m;
  for (std::size_t i = first; i < last; ++i)
    m = {std::max(m.megabytes, all[i].megabytes), std::max(m.held, all[i].held), std::max(m.files, all[i].files),
         std::max(m.threads, all[i].threads)};
  return m;
}

}  // namespace

int main(int argc, char** argv) {
  const double minutes = argc > 1 ? std::strtod(argv[1], nullptr) : 60;
  if (!(minutes > 0)) return std::fputs("soak [MINUTES]\n", stderr), 2;
  const fs::path folder =
      fs::temp_directory_path() / fmt::format("lean-sieve-soak-{}", Clock::now().time_since_epoch().count());
  fs::create_directories(folder);
  // As `lsieve live` has it.
  mallopt(M_ARENA_MAX, 2);
  // What the batches tell is of no use here.
  std::FILE* told = ::fdopen(::dup(1), "w");
  if (std::freopen("/dev/null", "w", stdout) == nullptr || std::freopen("/dev/null", "w", stderr) == nullptr) return 1;
  std::atomic<long> steps = 0, requests = 0, batches = 0;
  std::vector<Sample> samples;
  {
    page::LiveSetup setup;
    setup.inputs.push_back({"in.png", GaussianNoise{.deviation = 0.1F}(Image(320, 240, 3))});
    page::Live live(std::move(setup));
    std::jthread serving([&](const std::stop_token& over) { live.serve(over); });
    std::jthread engine([&](const std::stop_token& over) { run_steps(over, steps); });
    std::jthread asking([&](const std::stop_token& over) { ask_page(over, requests, live.address()); });
    std::jthread batch([&](const std::stop_token& over) { run_batches(over, batches, folder.string()); });
    fmt::print(told, "{:>7} {:>9} {:>7} {:>7} {:>8} {:>9} {:>9} {:>8}\n", "seconds", "megabytes", "in use", "files",
               "threads", "runs", "requests", "batches");
    const auto start = Clock::now();
    const auto every = std::chrono::duration<double>(std::min(60.0, 60 * minutes / 20));
    while (Clock::now() - start < std::chrono::duration<double>(60 * minutes)) {
      std::this_thread::sleep_for(every);
      const Sample& s = samples.emplace_back(sample());
      fmt::print(told, "{:>7.0f} {:>9.1f} {:>7.1f} {:>7} {:>8} {:>9} {:>9} {:>8}\n",
                 std::chrono::duration<double>(Clock::now() - start).count(), s.megabytes, s.held, s.files, s.threads,
                 steps.load(), requests.load(), batches.load());
      std::fflush(told);
    }
    for (std::jthread* t : {&engine, &asking, &batch}) {
      t->request_stop();
      t->join();
    }
  }
  fs::remove_all(folder);
  // Samples are taken at any moment of the work; tables and pools fill in the first quarter.
  const std::size_t n = samples.size();
  const Sample before = most(samples, n / 4, n / 2), after = most(samples, n * 3 / 4, n);
  const bool flat = n >= 8 && after.megabytes < 1.15 * before.megabytes + 8 && after.held < 1.15 * before.held + 8 &&
                    after.files <= before.files + 4 && after.threads <= before.threads + 4;
  const auto told_of = [](const Sample& m) {
    return fmt::format("{:.1f} MB, {:.1f} in use, {} files, {} threads", m.megabytes, m.held, m.files, m.threads);
  };
  fmt::print(told, "{}: at most {} in the second quarter, {} in the last\n", flat ? "flat" : "GROWS", told_of(before),
             told_of(after));
  return flat ? 0 : 1;
}
