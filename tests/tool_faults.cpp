// The real tool on a system that breaks under it: memory, disks, signals, clocks. Whatever fails, it ends with one line
// or with its result, and what it was to write is there whole or not at all.
//
// In every run of the tests some places break; SIEVE_FAULT_PLACES says how many of each command (scripts/check faults
// takes many).

#include <csignal>
#include <cstdlib>
#include <set>
#include <thread>

#include "support.hpp"

using namespace sieve;
using test::Folder;

// The sanitizers put themselves where the broken calls would be.
#ifdef SIEVE_BROKEN_SYSTEM

namespace {

struct Line {
  std::string words;                   // IN is a small picture, LSV the same packed, OUT a folder
  std::vector<std::string> made = {};  // the files that it writes there
};

const std::vector<Line>& commands() {
  static const std::vector<Line> all = {
      {"apply IN OUT/o.png gaussian sigma=1 then median --sheet OUT/s.png", {"o.png", "s.png"}},
      {"apply IN OUT/o.tif unsharp --save OUT/r.toml", {"o.tif", "r.toml"}},
      {"batch IN --into OUT --format jpg -- equalize", {"batch.journal", "in.jpg"}},
      {"pack IN OUT/o.lsv", {"o.lsv"}},
      {"unpack LSV OUT/o.tif", {"o.tif"}},
      {"apply IN OUT/o.npy wavelet_shrink --page OUT/p.html", {"o.npy", "p.html"}},
      {"find-psf IN --blind --into OUT/k.txt", {"k.txt"}},
      {"look IN --sheet OUT/s.png", {"s.png"}},
      {"lineup IN median or gaussian sigma=1 --sheet OUT/s.png", {"s.png"}},
      {"sweep IN gaussian sigma=1..2:2 --page OUT/p.html", {"p.html"}},
      {"look IN --json"},
      {"advise IN"},
      {"psf disk:radius=2 --size 64x48"},
      {"levels IN --csv"},
      {"list"},
      {"list gaussian"},
      {"kernel gaussian:sigma=1"},
      {"judge IN --truth IN --json"},
      {"rate IN --by cosine"},
      {"compaction IN --numbers 100"},
      {"verify gaussian"},
      {"time --sizes 64x48 --runs 1 gaussian"},
      {"devices"},
      {"manual"},
      {"completion"}};
  return all;
}
constexpr std::size_t kWriting = 5;  // the first of them, which are enough for every way to write

std::size_t places(std::size_t standard) {
  const char* text = std::getenv("SIEVE_FAULT_PLACES");
  return text != nullptr ? std::strtoul(text, nullptr, 10) : standard;
}

// Runs command lines in a folder of their own each, where an older file lies in the place of every result.
class Bench {
 public:
  Bench() {
    (void)io::write(picture_, Image(test::noon().view().part({40, 30, 64, 48})), {.bits = 8});
    REQUIRE(test::lsieve("pack " + picture_ + " " + packed_).code == 0);
    for (const Line& line : commands()) {
      const Folder place;
      const test::Outcome o = test::lsieve(filled(line, place));
      CAPTURE(o.err);
      REQUIRE(o.code == 0);
      for (const std::string& name : line.made) right_[line.words][name] = test::contents(place / name);
    }
  }

  struct Outcome : test::Outcome {
    bool struck = false;
    std::string told;  // what the library wrote
  };
  // The command under `how`, with everything checked that holds whatever broke. `before` is put before the program.
  Outcome broken(const Line& line, const std::string& how, int signal = 0, const std::string& before = "") const {
    const Folder place;
    const std::string hit = folder_ / "hit";
    for (const std::string& name : line.made) {
      if (name != "batch.journal") test::put(place / name, kOld);
    }
    const Outcome o = [&] {
      // Without devices: OpenCL on processors compiles within this process, and hangs when its compiler gets no memory.
      Outcome r{test::run("timeout 60 " + before + "env OCL_ICD_VENDORS=/nonexistent BROKEN_SYSTEM='" + how +
                          "' BROKEN_SYSTEM_HIT=" + hit + " LD_PRELOAD=" SIEVE_BROKEN_SYSTEM " " LSIEVE_TOOL " " +
                          filled(line, place)),
                std::filesystem::exists(hit), test::contents(hit)};
      std::filesystem::remove(hit);
      return r;
    }();
    CAPTURE(line.words);
    CAPTURE(how);
    CAPTURE(o.err);
    const bool ended = signal != 0 && o.code == 128 + signal;
    CHECK((o.code == 0 || o.code == 1 || ended));
    if (o.code == 1) check_lines(o.err, line.words.starts_with("batch"));
    std::set<std::string> there;
    for (const auto& e : std::filesystem::directory_iterator(place / "")) there.insert(e.path().filename().string());
    for (const std::string& name : line.made) {
      const std::string bytes = test::contents(place / name);
      CAPTURE(name);
      CHECK((bytes == kOld || whole(line, name, bytes)));
      CHECK((o.code != 0 || bytes != kOld));
      there.erase(name);
    }
    // What is killed between two names of one file leaves the second one.
    for (const std::string& left : there) CHECK_MESSAGE((signal == SIGKILL && ended), left);
    return o;
  }

 private:
  static constexpr const char* kOld = "the old file";

  std::string filled(const Line& line, const Folder& place) const {
    std::string s = line.words;
    for (const auto& [name, path] :
         {std::pair{"IN", picture_}, std::pair{"LSV", packed_}, std::pair{"OUT", place / ""}}) {
      for (std::size_t at = 0; (at = s.find(name, at)) != std::string::npos; at += path.size())
        s.replace(at, std::string(name).size(), path);
    }
    return s;
  }

  static void check_lines(const std::string& text, bool many) {
    const std::string start = "lsieve: ";
    std::size_t count = 0, last = 0;
    for (std::size_t at = 0; (at = text.find(start, at)) != std::string::npos; ++at) {
      if (at > 0 && text[at - 1] != '\n') continue;
      ++count;
      last = at;
    }
    CHECK((many ? count >= 1 : count == 1));
    CHECK(text.find('\n', last) == text.size() - 1);
  }

  // Sheets and pages tell times, and a journal the moments of files: these are as long, or end, as they should.
  bool whole(const Line& line, const std::string& name, const std::string& bytes) const {
    if (name == "batch.journal") return bytes.empty() || bytes.ends_with("\n");
    if (name == "p.html") return bytes.ends_with("</html>\n") || bytes.ends_with("</html>");
    if (name != "s.png") return bytes == right_.at(line.words).at(name);
    return io::decode(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size(), name).image.width() > 300;
  }

  Folder folder_;
  std::string picture_ = folder_ / "in.png", packed_ = folder_ / "in.lsv";
  std::map<std::string, std::map<std::string, std::string>> right_;
};

const Bench& bench() {
  static const Bench b;
  return b;
}

}  // namespace

TEST_CASE("memory that runs out anywhere in any command of the tool: one line, old files stay whole") {
  std::uint64_t seed = 1;
  for (const Line& line : commands()) {
    const long all = std::atol(bench().broken(line, "count 0").told.c_str());
    REQUIRE(all > 1000);
    const RandomStream random(seed++, 1);
    // Most of the first ones are the catalogue's and the same in all commands.
    const long from = std::max(0L, all - 4500), count = static_cast<long>(places(6));
    for (long i = 0; i < count; ++i) {
      const long n =
          from + static_cast<long>(random.uniform(static_cast<std::uint64_t>(i)) * static_cast<double>(all - from));
      const auto once = bench().broken(line, "allocation " + std::to_string(i < 2 ? 100 * i : n));
      CHECK((once.struck || once.code == 0));
      if (i % 3 != 2) continue;
      // Threads share the work out anew each time: the last few are not always reached.
      const auto for_good = bench().broken(line, "allocations " + std::to_string(n));
      CHECK(for_good.code == (for_good.struck ? 1 : 0));
    }
  }
}

TEST_CASE("files that fail at any call: one line, and every file is the old or the new one") {
  const std::size_t count = places(0) > 0 ? commands().size() : kWriting;
  for (std::size_t c = 0; c < count && !commands()[c].made.empty(); ++c) {
    for (const char* how :
         {"write N 28", "write N short", "read N 5", "open N 24", "fsync N 5", "close N 5", "rename N 13"}) {
      const bool fatal = std::string(how).starts_with("rename") || std::string(how).starts_with("write N 28");
      for (int n = 0; n < 12; ++n) {
        std::string words = how;
        words.replace(words.find('N'), 1, std::to_string(n));
        const auto o = bench().broken(commands()[c], words);
        if (!o.struck) break;
        CHECK((o.code == 1 || !fatal));
        CHECK((o.code == 0 || words.find("short") == std::string::npos));
      }
    }
  }
}

TEST_CASE("a command that is stopped or killed at any moment leaves every file whole") {
  const std::size_t count = places(0) > 0 ? commands().size() : kWriting;
  for (std::size_t c = 0; c < count && !commands()[c].made.empty(); ++c) {
    for (const int signal : {SIGTERM, SIGINT, SIGKILL}) {
      for (int n = 0; n < 14; ++n) {
        if (!bench().broken(commands()[c], "change " + std::to_string(n) + " " + std::to_string(signal), signal).struck)
          break;
      }
      // And at times that nobody chose.
      const RandomStream random(c, static_cast<std::uint64_t>(signal));
      for (std::size_t i = 0; i < places(2); ++i) {
        const int ms = 5 + static_cast<int>(random.uniform(i) * 150);
        (void)bench().broken(commands()[c], "count 0", signal,
                             "timeout --preserve-status -s " + std::to_string(signal) + " 0." +
                                 std::to_string(1000 + ms).substr(1) + " ");
      }
    }
  }
}

TEST_CASE("a time of day that jumps changes nothing") {
  for (const char* words : {"apply IN OUT/o.tif unsharp --save OUT/r.toml", "time --sizes 64x48 --runs 1 gaussian"}) {
    for (const Line& line : commands()) {
      if (line.words == words) CHECK(bench().broken(line, "clock 0").code == 0);
    }
  }
}

#endif
