// What surrounds the tool is not as it should be: two runs at once, pipes that nobody reads, folders that vanish, names
// with line breaks, files that grow, terminals of few columns and none, the decimal commas of other languages.

#include <fcntl.h>
#include <pthread.h>
#include <pty.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <clocale>
#include <csignal>
#include <locale>
#include <nlohmann/json.hpp>
#include <sstream>
#include <thread>

#include "sieve/pack.hpp"
#include "support.hpp"

using namespace sieve;
using test::Folder;
using test::lsieve;

namespace {

// One line of error with this in it.
void check_one_line(const test::Outcome& o, int code, const std::string& word) {
  CAPTURE(o.err);
  CHECK(o.code == code);
  CHECK(o.err.starts_with("lsieve: "));
  CHECK(std::count(o.err.begin(), o.err.end(), '\n') == 1);
  CHECK(o.err.find(word) != std::string::npos);
}

void wait_for(const std::string& path) {
  test::wait_until("a file appears", [&] { return std::filesystem::exists(path); });
}

// What a program writes on a terminal of its own with so many columns.
std::string on_terminal(const std::vector<std::string>& words, int columns, int* code) {
  winsize size{24, static_cast<unsigned short>(columns), 0, 0};
  int terminal = -1;
  const pid_t child = ::forkpty(&terminal, nullptr, nullptr, &size);
  if (child == 0) {
    std::vector<char*> argv;
    for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
    argv.push_back(nullptr);
    ::execv(argv[0], argv.data());
    ::_exit(127);
  }
  REQUIRE(child > 0);
  std::string text;
  char part[4096];
  for (ssize_t n; (n = ::read(terminal, part, sizeof part)) > 0;) text.append(part, static_cast<std::size_t>(n));
  int status = 0;
  ::waitpid(child, &status, 0);
  ::close(terminal);
  *code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  return text;
}

// Columns that a piece of UTF-8 takes.
std::size_t columns_of(const std::string& s) {
  return static_cast<std::size_t>(std::count_if(s.begin(), s.end(), [](char c) { return (c & 0xc0) != 0x80; }));
}

struct Commas : std::numpunct<char> {
  char do_decimal_point() const override { return ','; }
  char do_thousands_sep() const override { return '.'; }
  std::string do_grouping() const override { return "\3"; }
};

// In the surroundings of a program whose user writes 1.234,5.
class DecimalCommas {
 public:
  DecimalCommas() : before_(std::locale::global(std::locale(std::locale::classic(), new Commas))) {
    for (const char* name : {"de_DE.UTF-8", "de_DE.utf8", "fr_FR.UTF-8"}) {
      if (std::setlocale(LC_ALL, name) != nullptr) break;  // where it is installed
    }
  }
  ~DecimalCommas() {
    std::setlocale(LC_ALL, "C");
    std::locale::global(before_);
  }
  DecimalCommas(const DecimalCommas&) = delete;
  DecimalCommas& operator=(const DecimalCommas&) = delete;

 private:
  std::locale before_;
};

}  // namespace

// Takes seconds on the picture of the tests, so that a batch is at work when a shell has seen its journal.
const std::string slow_steps = " -- block_matching then block_matching then block_matching then block_matching";

TEST_CASE("two runs on one journal: the second says so and touches nothing, the first goes on to its end") {
  const Folder folder;
  const std::string out = folder / "out", journal = out + "/batch.journal";
  test::Outcome first;
  // Stopped while it works, until the second run has ended.
  std::thread running([&] {
    first = test::run("timeout 200 sh -c '" LSIEVE_TOOL " batch " + test::noon_file + " --into " + out + slow_steps +
                      " & pid=$!; while [ ! -s " + journal + " ]; do sleep 0.02; done; kill -STOP $pid; touch " +
                      folder / "stopped" + "; while [ ! -e " + folder / "go" + " ]; do sleep 0.02; done; " +
                      "kill -CONT $pid; wait $pid'");
  });
  wait_for(folder / "stopped");
  const std::string before = test::contents(journal);
  const auto second = lsieve("batch " + test::data + "/lamp.png --into " + out + " -- median");
  CHECK(test::contents(journal) == before);
  test::put(folder / "go", "");
  running.join();
  check_one_line(second, 1, "another run");
  CHECK(first.code == 0);
  CHECK(std::filesystem::exists(out + "/noon.png"));
  CHECK_FALSE(std::filesystem::exists(out + "/lamp.png"));
}

TEST_CASE("several processes write one file: it is one of theirs, whole, and nothing else is left") {
  const Folder folder;
  std::string all;
  std::vector<std::string> wanted;
  for (int i = 1; i <= 6; ++i) {
    const std::string sigma = std::to_string(i);
    REQUIRE(lsieve("apply " + test::noon_file + " " + folder / ("right" + sigma + ".ppm") + " gaussian sigma=" + sigma)
                .code == 0);
    wanted.push_back(test::contents(folder / ("right" + sigma + ".ppm")));
    all += LSIEVE_TOOL " apply " + test::noon_file + " " + folder / "out/o.ppm" + " gaussian sigma=" + sigma + " & ";
  }
  std::filesystem::create_directory(folder / "out");
  for (int round = 0; round < 3; ++round) {
    const auto o = test::run("sh -c '" + all + " wait'");
    CHECK(o.err.empty());
    const std::string got = test::contents(folder / "out/o.ppm");
    CHECK(std::count(wanted.begin(), wanted.end(), got) == 1);
    CHECK(std::distance(std::filesystem::directory_iterator(folder / "out"), {}) == 1);
  }
}

TEST_CASE("a signal that is ignored stays ignored: nohup keeps a batch alive") {
  const Folder folder;
  const std::string out = folder / "out";
  const auto o = test::run("timeout 200 sh -c 'trap \"\" HUP; exec " LSIEVE_TOOL " batch " + test::noon_file +
                           " --into " + out + slow_steps + " & pid=$!; while [ ! -s " + out +
                           "/batch.journal ]; do sleep 0.02; done; kill -HUP $pid; wait $pid'");
  CAPTURE(o.err);
  CHECK(o.code == 0);
  CHECK(std::filesystem::exists(out + "/noon.png"));
}

TEST_CASE("a pipe that nobody reads: the tool waits for a late reader, and a signal ends it at once") {
  const Folder folder;
  const std::string pipe = folder / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  const auto late = test::run("sh -c '" LSIEVE_TOOL " list --json >" + pipe + " & sleep 0.3; cat " + pipe + "'");
  const std::string all = lsieve("list --json").out;
  CHECK(all.size() > (1 << 16));  // more than a pipe holds
  CHECK(late.out == all);
  const int held = ::open(pipe.c_str(), O_RDWR | O_NONBLOCK);
  REQUIRE(held >= 0);
  const std::string part(512, 'x');
  while (::write(held, part.data(), part.size()) > 0) {
  }
  for (const std::string& words : {std::string("list"), "levels --csv " + test::noon_file}) {
    CAPTURE(words);
    const auto o = test::run("timeout 60 sh -c 'exec 3>" + pipe + "; " LSIEVE_TOOL " " + words +
                             " >&3 & pid=$!; sleep 0.5; kill $pid; wait $pid'");
    if (o.code == 128 + SIGTERM) continue;  // where nothing is to be cleaned up
    check_one_line(o, 1, "standard output");
  }
  ::close(held);
}

TEST_CASE("a folder that vanishes meanwhile: one line, and nothing is made elsewhere") {
  const Folder folder;
  test::LateFile late(folder / "late.png");
  std::filesystem::create_directory(folder / "out");
  test::Outcome o;
  std::thread running([&] { o = lsieve("apply " + folder / "late.png" + " " + folder / "out/o.png" + " invert"); });
  late.wait_for_reader();
  std::filesystem::remove_all(folder / "out");
  late.send(test::contents(test::noon_file));
  running.join();
  check_one_line(test::Outcome{o.code, o.out, o.err.substr(o.err.find("lsieve: "))}, 1, "out/o.png");
  CHECK(folder.entries() == 1);
}

TEST_CASE("names with line breaks and escapes are told on one line, and their files are read and written") {
  const Folder folder;
  const std::string in = folder / "a\nb\033[31m.png", out = folder / "c\nd.png";
  std::filesystem::copy_file(test::noon_file, in);
  const auto quoted = [](const std::string& s) { return "'" + s + "'"; };
  const auto done = lsieve("apply " + quoted(in) + " " + quoted(out) + " invert");
  CHECK(done.code == 0);
  CHECK(std::filesystem::exists(out));
  CHECK(done.out.find("a\\nb\\x1b[31m.png") != std::string::npos);
  CHECK(done.out.find("c\\nd.png") != std::string::npos);
  const auto looked = lsieve("look " + quoted(in));
  CHECK(looked.code == 0);
  CHECK(looked.out.find("a\\nb") != std::string::npos);
  CHECK(nlohmann::json::parse(lsieve("look --json " + quoted(in)).out).dump().find("a\\nb") != std::string::npos);
  check_one_line(lsieve("look " + quoted(folder / "no\nsuch.png")), 1, "no\\nsuch.png");
  check_one_line(lsieve("apply " + quoted(in) + " " + quoted(folder / "x\ny.bmp") + " invert"), 2, "x\\ny.bmp");
  const auto batch = lsieve("batch " + quoted(in) + " --into " + folder / "out" + " -- invert");
  CHECK(batch.code == 0);
  CHECK(std::count(batch.err.begin(), batch.err.end(), '\n') == 1);
}

TEST_CASE("a file that grows, or is cut, while it is read: a picture or one line, and an end") {
  const Folder folder;
  const std::string whole = test::contents(test::noon_file), path = folder / "grows.png";
  std::atomic<bool> over = false;
  std::thread writer([&] {
    while (!over) {
      test::put(path, "");
      for (std::size_t i = 0; i < whole.size() && !over; i += 5000)
        std::ofstream(path, std::ios::binary | std::ios::app) << whole.substr(i, 5000);
      for (int i = 0; i < 20 && !over; ++i)
        std::ofstream(path, std::ios::binary | std::ios::app) << std::string(100000, 'x');
    }
  });
  wait_for(path);
  int read = 0, refused = 0;
  for (int i = 0; i < 300 || (read == 0 && i < 3000); ++i) {
    try {
      const Image got = io::read(path).image;
      CHECK(identical(got, test::noon()));
      ++read;
    } catch (const Error& e) {
      CHECK(std::string(e.what()).starts_with(path + ": "));
      ++refused;
    }
  }
  over = true;
  writer.join();
  CHECK(read > 0);
  CHECK(refused > 0);
}

TEST_CASE("a terminal of 20 columns, or of one: no line of progress is wider") {
  const Folder folder;
  std::filesystem::create_directory(folder / "in");
  for (int i = 0; i < 30; ++i)
    (void)io::write(folder / ("in/" + std::to_string(i) + ".pgm"), test::noise(300, 200), {.bits = 8});
  for (const int columns : {120, 40, 20, 1, 0}) {
    CAPTURE(columns);
    int code = -1;
    const std::string text = on_terminal(
        {LSIEVE_TOOL, "batch", folder / "in", "--into", folder / "out", "--", "median", "radius=4"}, columns, &code);
    CHECK(code == 0);
    CHECK(text.find("30/30") != std::string::npos);
    std::istringstream parts(text);
    for (std::string part; std::getline(parts, part, '\r');) {
      const std::size_t end = part.find("\033[K");
      if (columns > 1 && end != std::string::npos) CHECK(columns_of(part.substr(0, end)) < columns);
    }
    CHECK((text.find("left") != std::string::npos) == (columns >= 40 || columns == 0));
    CHECK(on_terminal({LSIEVE_TOOL, "look", test::noon_file}, columns, &code).find("768") != std::string::npos);
    CHECK(code == 0);
  }
}

TEST_CASE("long commands tell from their second second on how much is done, and wipe it before they tell results") {
  const Folder folder;
  REQUIRE(
      test::lsieve("apply " + test::noon_file + " " + folder / "noisy.png" + " gaussian_noise deviation=0.1").code ==
      0);
  for (const auto& [words, result] : std::vector<std::pair<std::vector<std::string>, std::string>>{
           {{"sweep", test::noon_file, "--truth", test::noon_file, "block_matching", "noise=0.02..0.08:7"},
            "* noise=0.02"},
           {{"advise", folder / "noisy.png", "--lineup"}, folder / "noisy.png"},
           {{"time", "median", "radius=9", "--sizes", "1024x1024", "--runs", "15"}, "median radius=9"}}) {
    CAPTURE(words[0]);
    // One thread, so that it takes seconds on most machines.
    std::vector<std::string> call = {LSIEVE_TOOL, "--threads", "1"};
    call.insert(call.end(), words.begin(), words.end());
    int code = 0;
    const auto start = std::chrono::steady_clock::now();
    const std::string text = on_terminal(call, 80, &code);
    const bool quick = std::chrono::steady_clock::now() - start < std::chrono::seconds(2);
    CHECK(code == 0);
    CHECK(text.find(result) != std::string::npos);
    if (quick) {
      test::skip(words[0] + " ends within two seconds here: its progress is not tested");
      continue;
    }
    int told = 0, before = 0;
    for (std::size_t at = 0; (at = text.find(" % \r", at + 1)) != std::string::npos; ++told) {
      const std::size_t begin = text.rfind('\r', at) + 1;
      const int share = std::stoi(text.substr(begin, at - begin));
      CHECK(share >= before);
      CHECK(share <= 100);
      before = share;
    }
    CHECK(told > 2);
    CHECK(text.find(" % \r       \r" + result) != std::string::npos);
  }
}

TEST_CASE("a program with decimal commas reads and writes the same texts") {
  const Image in = test::noise(40, 30, 3);
  const auto all = [&] {
    std::vector<std::string> texts;
    const Chain chain = Chain::parse("gaussian sigma=1.25 then unsharp amount=0.5 then curve points=0,0/0.25,0.4/1,1");
    texts.push_back(chain.text(true));
    texts.push_back(recipe_text(chain));
    texts.push_back(source_text(chain));
    texts.push_back(record_of(chain));
    for (const std::string& word : recipe_words(recipe_text(chain), "recipe")) texts.push_back(word);
    const Image out = chain(in);
    for (const io::Format f :
         {io::Format::png, io::Format::tiff, io::Format::pnm, io::Format::pfm, io::Format::npy, io::Format::packed}) {
      const auto bytes = io::encode(f, out);
      texts.emplace_back(bytes.begin(), bytes.end());
      texts.push_back(std::to_string(test::deviation(io::decode(bytes.data(), bytes.size(), "x").image, out)));
    }
    texts.push_back(text_of(in.shape()).text);
    try {
      (void)Gaussian{.sigma = -1.5F}(in);
    } catch (const InvalidArgument& e) {
      texts.emplace_back(e.what());
    }
    return texts;
  };
  const auto plain = all();
  const DecimalCommas commas;
  std::ostringstream shown;
  shown << 1234.5;
  REQUIRE(shown.str() == "1.234,5");
  const auto with_commas = all();
  REQUIRE(plain.size() == with_commas.size());
  for (std::size_t i = 0; i < plain.size(); ++i) CHECK(plain[i] == with_commas[i]);
}

#ifdef SIEVE_BROKEN_SYSTEM
TEST_CASE("no thread can be started: the work is done on the calling one, with the same result") {
  const Folder folder;
  const std::string hit = folder / "hit",
                    tool = "env OCL_ICD_VENDORS=/nonexistent BROKEN_SYSTEM='threads 0' BROKEN_SYSTEM_HIT=" + hit +
                           " LD_PRELOAD=" SIEVE_BROKEN_SYSTEM " " LSIEVE_TOOL " ";
  const std::string steps = " gaussian sigma=3 then clahe";
  REQUIRE(lsieve("apply " + test::noon_file + " " + folder / "right.png" + steps).code == 0);
  for (const std::string& call : {"apply " + test::noon_file + " " + folder / "noon.png" + steps,
                                  "batch " + test::noon_file + " --into " + folder / "out" + " --" + steps}) {
    const auto o = test::run(tool + call);
    CAPTURE(o.err);
    CHECK(o.code == 0);
    CHECK(std::filesystem::remove(hit));
  }
  const Image right = io::read(folder / "right.png").image;
  CHECK(identical(io::read(folder / "noon.png").image, right));
  CHECK(identical(io::read(folder / "out/noon.png").image, right));
}
#endif

TEST_CASE("reading files takes less than 64 KB of stack") {
  const Folder folder;
  for (const char* name : {"a.png", "a.jpg", "a.tif", "a.ppm", "a.npy", "a.lsv"})
    (void)io::write(folder / name, test::noon());
  // On a thread with so much and what the C library itself keeps there.
  const std::size_t stack = (std::size_t{64} << 10) + static_cast<std::size_t>(PTHREAD_STACK_MIN);
  pthread_attr_t attributes;
  REQUIRE(pthread_attr_init(&attributes) == 0);
  REQUIRE(pthread_attr_setstacksize(&attributes, stack) == 0);
  struct Work {
    const Folder& folder;
    int done = 0;
  } work{folder};
  pthread_t thread{};
  REQUIRE(pthread_create(
              &thread, &attributes,
              [](void* argument) -> void* {
                auto& w = *static_cast<Work*>(argument);
                for (const char* name : {"a.png", "a.jpg", "a.tif", "a.ppm", "a.npy", "a.lsv"})
                  w.done += io::read(w.folder / name).image.empty() ? 0 : 1;
                return nullptr;
              },
              &work) == 0);
  REQUIRE(pthread_join(thread, nullptr) == 0);
  pthread_attr_destroy(&attributes);
  CHECK(work.done == 6);
}
