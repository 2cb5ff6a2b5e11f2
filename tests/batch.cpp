// Folders of pictures, stopped at any moment and gone on with.

#include <fcntl.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <map>
#include <nlohmann/json.hpp>
#include <random>
#include <thread>

#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::contents;
using test::Folder;
using test::lsieve;
namespace fs = std::filesystem;

namespace {

// So many small pictures in three folders within each other.
void fill(const std::string& folder, int count) {
  for (int i = 0; i < count; ++i) {
    const std::string below = folder + (i % 3 == 0 ? "" : i % 3 == 1 ? "/a" : "/a/b");
    fs::create_directories(below);
    (void)io::write(below + "/" + std::to_string(1000 + i) + (i % 2 == 0 ? ".png" : ".pgm"),
                    test::noise(40 + i % 7, 30 + i % 5, 1, static_cast<std::uint64_t>(i)), {.bits = 8});
  }
}

// Bytes of all results by their place below the folder; what is no result shows up, too.
std::map<std::string, std::string> results(const std::string& folder) {
  std::map<std::string, std::string> all;
  for (const auto& e : fs::recursive_directory_iterator(folder)) {
    const std::string name = e.path().lexically_relative(folder).string();
    if (e.is_regular_file() && !name.ends_with(".journal")) all[name] = contents(e.path().string());
  }
  return all;
}

// Files and folders below a folder, of a batch that goes on.
std::size_t entries(const std::string& folder) {
  if (!fs::exists(folder)) return 0;
  return static_cast<std::size_t>(std::distance(fs::recursive_directory_iterator(folder), {}));
}

// Enough that a run takes as long as the moments among which it is killed.
constexpr int kManyPictures = test::sanitized ? 30 : 200;

const std::string batch_steps = " -- median radius=1 then nonlocal_means then stretch";

// Starts the tool on its own, so that it can be killed.
pid_t start(const std::vector<std::string>& words) {
  const pid_t child = ::fork();
  if (child != 0) return child;
  std::vector<char*> argv;
  for (const std::string& w : words) argv.push_back(const_cast<char*>(w.c_str()));
  argv.push_back(nullptr);
  const int nowhere = ::open("/dev/null", O_WRONLY);
  ::dup2(nowhere, STDOUT_FILENO);
  ::dup2(nowhere, STDERR_FILENO);
  ::execv(LSIEVE_TOOL, argv.data());
  ::_exit(127);
}

}  // namespace

TEST_CASE("batch: folders, patterns, formats, and the figures that it tells") {
  const Folder folder;
  fill(folder / "in", 12);
  const auto flat = lsieve("batch " + folder / "in" + " --into " + folder / "flat" + batch_steps);
  CHECK(flat.code == 0);
  CHECK(results(folder / "flat").size() == 4);
  const auto all = lsieve("batch " + folder / "in" + " --recursive --format tif --depth float --json --into " +
                          folder / "all" + batch_steps);
  REQUIRE(all.code == 0);
  const json j = json::parse(all.out);
  CHECK(j["written"] == 12);
  CHECK(j["failed"] == 0);
  CHECK(j["pictures"].size() == 12);
  CHECK(j["pictures"][0]["steps"][2]["notes"][0].get<std::string>().starts_with("stretch: low="));
  const auto made = results(folder / "all");
  CHECK(made.size() == 12);
  CHECK(made.contains("a/b/1002.tif"));
  // The same as one at a time.
  const Image one = Chain::parse(batch_steps.substr(4))(io::read(folder / "in/a/1001.pgm").image);
  CHECK(test::deviation(io::read(folder / "all/a/1001.tif").image, one) < 1e-6);
  const auto some = lsieve("batch '" + folder / "in/100*.png" + "' --into " + folder / "some" + batch_steps);
  CHECK(some.code == 0);
  CHECK(results(folder / "some").size() == 2);
  CHECK(some.out.find("written") != std::string::npos);
}

TEST_CASE("batch: links to one picture are a picture each, a path that is named twice is one") {
  const Folder f;
  fs::create_directories(f / "in");
  (void)io::write(f / "in/a.png", test::noise(9, 8), {.bits = 8});
  for (const char* name : {"b", "c", "d"}) fs::create_symlink("a.png", f / ("in/" + std::string(name) + ".png"));
  CHECK(lsieve("batch " + (f / "in") + " " + (f / "in/./a.png") + " --into " + (f / "out") + " -- invert").code == 0);
  const auto all = results(f / "out");
  CHECK(all.size() == 4);
  for (const auto& [name, bytes] : all) CHECK(bytes == all.at("a.png"));
  // A result through a link would take its picture's place.
  CHECK(lsieve("batch " + (f / "in/b.png") + " --into " + (f / "in") + " -- invert").code == 2);
}

TEST_CASE("batch: wrong calls are refused before anything is written") {
  const Folder folder;
  fill(folder / "in", 6);
  const std::string in = folder / "in", into = " --into " + folder / "out";
  fs::copy_file(in + "/1000.png", in + "/a/1000.png");
  fs::create_directories(folder / "empty");
  for (const auto& [call, word] : std::vector<std::pair<std::string, std::string>>{
           {in + into, "steps"},
           {in + into + " -- no_such_filter", "no_such_filter"},
           {in + " --into " + in + batch_steps, "take the place"},
           {in + "/none.png" + into + batch_steps, "no such file"},
           {folder / "empty" + into + batch_steps, "only with --recursive"},
           {in + into + " --shard auto/0" + batch_steps, "from 1"},
           {in + "/1000.png " + in + "/a/1000.png" + into + batch_steps, "both become"},
           {in + into + " --shard 3/2" + batch_steps, "from 1 to 2"},
           {in + into + " --shard auto" + batch_steps, "environment"},
           {in + into + " --memory much" + batch_steps, "800M"},
           {in + into + " --depth 33" + batch_steps, "1 to 16"},
           {in + into + " --format bmp" + batch_steps, "known are"}}) {
    CAPTURE(call);
    const auto o = lsieve("batch " + call);
    CHECK(o.code == 2);
    CHECK(o.err.find(word) != std::string::npos);
    CHECK_FALSE(fs::exists(folder / "out"));
  }
  const auto job = test::run("SLURM_ARRAY_TASK_ID=9 SLURM_ARRAY_TASK_COUNT=2 " + std::string(LSIEVE_TOOL) + " batch " +
                             in + into + " --shard auto" + batch_steps);
  CHECK(job.code == 2);
  CHECK(job.err.find("9 is no part of 2") != std::string::npos);
}

TEST_CASE("batch: a bad picture is told and skipped, or ends it by choice") {
  const Folder folder;
  fill(folder / "in", 9);
  test::put(folder / "in/0999.png", "no picture");
  ::mkfifo((folder / "in/0998.png").c_str(), 0600);  // no regular file: not taken at all
  const auto skipped = lsieve("batch " + folder / "in" + " --recursive --into " + folder / "out" + batch_steps);
  CHECK(skipped.code == 1);
  CHECK(skipped.err.find("0999.png") != std::string::npos);
  CHECK(skipped.err.find("1 of 10 pictures failed") != std::string::npos);
  CHECK(results(folder / "out").size() == 9);
  const auto ended = lsieve("batch " + folder / "in" + " --recursive --workers 1 --stop-on-error --into " +
                            folder / "ended" + batch_steps);
  CHECK(ended.code == 1);
  CHECK(ended.err.find("9 were not begun") != std::string::npos);
  // Mended, it goes on with what is missing.
  fs::remove(folder / "in/0999.png");
  (void)io::write(folder / "in/0999.png", test::noise(20, 20), {.bits = 8});
  const auto mended =
      lsieve("batch " + folder / "in" + " --recursive --resume --json --into " + folder / "out" + batch_steps);
  CHECK(mended.code == 0);
  const json j = json::parse(mended.out);
  CHECK(j["written"] == 1);
  CHECK(j["already_there"] == 9);
}

TEST_CASE("batch: the same bytes for any number of workers, little memory, and all shards together") {
  const Folder folder;
  fill(folder / "in", 30);
  const auto call = [&](const std::string& options, const std::string& out) {
    return lsieve("batch " + folder / "in" + " --recursive " + options + " --into " + folder / out + batch_steps).code;
  };
  REQUIRE(call("--workers 1", "one") == 0);
  const auto expected = results(folder / "one");
  CHECK(expected.size() == 30);
  REQUIRE(call("--workers 7", "seven") == 0);
  CHECK(results(folder / "seven") == expected);
  REQUIRE(call("--workers 3 --memory 1K", "little") == 0);
  CHECK(results(folder / "little") == expected);
  for (const char* shard : {"1/3", "2/3"}) REQUIRE(call(std::string("--shard ") + shard, "shards") == 0);
  CHECK(results(folder / "shards").size() == 20);
  ::setenv("SLURM_ARRAY_TASK_ID", "12", 1);
  ::setenv("SLURM_ARRAY_TASK_MIN", "10", 1);
  const int third = call("--shard auto/3", "shards");
  ::unsetenv("SLURM_ARRAY_TASK_ID");
  ::unsetenv("SLURM_ARRAY_TASK_MIN");
  CHECK(third == 0);
  CHECK(results(folder / "shards") == expected);
}

#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
TEST_CASE("batch: as many workers as one likes stay within the memory that they are given") {
  const Folder folder;
  fs::create_directories(folder / "in");
  const Image large = test::noise(1900, 1400, 3);
  for (int i = 0; i < 8; ++i) (void)io::write(folder / "in/" + std::to_string(i) + ".pnm", large, {.bits = 8});
  // The most that the tool held at any time, in megabytes.
  const auto most = [&](const std::string& memory, const std::string& out) {
    const pid_t child =
        start({LSIEVE_TOOL, "batch", folder / "in", "--workers", "8", "--memory", memory, "--into", folder / out, "--",
               "gaussian", "sigma=3", "then", "median", "radius=1", "then", "unsharp"});
    int status = 0;
    rusage used{};
    REQUIRE(::wait4(child, &status, 0, &used) == child);
    CHECK(WEXITSTATUS(status) == 0);
    return static_cast<double>(used.ru_maxrss) / 1024;
  };
  const double little = most("250M", "little"), much = most("4G", "much");
  CHECK(little < 250);
  CHECK(much > 1.5 * little);
  CHECK(results(folder / "little") == results(folder / "much"));
}
#endif

TEST_CASE("batch: killed at any moment, ten times over, it goes on to the same results") {
  const Folder folder;
  fill(folder / "in", kManyPictures);
  REQUIRE(lsieve("batch " + folder / "in" + " --recursive --into " + folder / "whole" + batch_steps).code == 0);
  const auto expected = results(folder / "whole");
  REQUIRE(expected.size() == kManyPictures);
  std::mt19937 random(20261123);
  int killed = 0;
  for (int round = 0; round < 10; ++round) {
    CAPTURE(round);
    const std::string out = folder / ("out" + std::to_string(round));
    std::vector<std::string> words = {"lsieve",
                                      "batch",
                                      folder / "in",
                                      "--recursive",
                                      "--into",
                                      out,
                                      "--workers",
                                      std::to_string(1 + round % 4),
                                      "--",
                                      "median",
                                      "radius=1",
                                      "then",
                                      "nonlocal_means",
                                      "then",
                                      "stretch"};
    // Killed twice: the second time while it goes on.
    for (int time = 0; time < 2; ++time) {
      const pid_t child = start(words);
      REQUIRE(child > 0);
      // After none to a third of the results.
      const std::size_t when = entries(out) + random() % (kManyPictures / 3);
      int status = 0;
      bool ended = false;
      test::wait_until("the batch has written enough", [&] {
        ended = ::waitpid(child, &status, WNOHANG) == child;
        return ended || entries(out) >= when;
      });
      if (!ended) {
        ::kill(child, SIGKILL);
        ::waitpid(child, &status, 0);
      }
      killed += WIFSIGNALED(status) ? 1 : 0;
      if (time == 0) words.insert(words.begin() + 4, "--resume");
    }
    // A result that was cut off later, and a journal whose last line was: neither is trusted.
    const auto there = fs::exists(out) ? results(out) : std::map<std::string, std::string>{};
    if (round % 3 == 0 && !there.empty()) {
      fs::resize_file(out + "/" + there.begin()->first, there.begin()->second.size() / 2);
      if (const std::string journal = out + "/batch.journal"; fs::exists(journal) && fs::file_size(journal) > 300)
        fs::resize_file(journal, fs::file_size(journal) - 7);
    }
    const auto last = lsieve("batch " + folder / "in" + " --recursive --resume --into " + out + batch_steps);
    CHECK(last.code == 0);
    CHECK(results(out) == expected);
  }
  CHECK(killed > 0);
}

TEST_CASE("batch: Ctrl-C ends it at once and says how to go on; a changed picture or chain is not taken for done") {
  const Folder folder;
  fill(folder / "in", kManyPictures);
  const std::string out = folder / "out", call = "batch " + folder / "in" + " --recursive --resume --into " + out;
  const pid_t child = start({"lsieve", "batch", folder / "in", "--recursive", "--into", out, "--", "nonlocal_means"});
  // From the first result on it listens.
  test::wait_until("the batch has written a result", [&] { return fs::exists(out) && !results(out).empty(); });
  ::kill(child, SIGINT);
  int status = 0;
  ::waitpid(child, &status, 0);
  REQUIRE(WIFEXITED(status));
  CHECK((WEXITSTATUS(status) == 1 || WEXITSTATUS(status) == 0));
  const auto other = lsieve(call + " -- invert");
  CHECK(other.code == 2);
  CHECK(other.err.find("other settings") != std::string::npos);
  REQUIRE(lsieve(call + " -- nonlocal_means").code == 0);
  (void)io::write(folder / "in/1000.png", test::noise(64, 64), {.bits = 8});
  const auto again = lsieve(call + " --json -- nonlocal_means");
  REQUIRE(again.code == 0);
  CHECK(json::parse(again.out)["written"] == 1);
  CHECK(io::read(out + "/1000.png").image.width() == 64);
}

TEST_CASE("batch: a full disk leaves no half file and can be gone on with") {
  const Folder folder;
  fs::create_directories(folder / "in");
  for (int i = 0; i < 6; ++i)
    (void)io::write(folder / ("in/" + std::to_string(i) + ".png"), i == 3 ? test::noise(300, 300) : test::noise(20, 20),
                    {.bits = 8});
  // No file may grow beyond 20 blocks of 1024 bytes: writing the large one fails.
  const auto full = test::run("sh -c \"trap '' XFSZ; ulimit -f 20; exec " LSIEVE_TOOL " batch " + folder / "in" +
                              " --into " + folder / "out" + " -- invert\"");
  CHECK(full.code == 1);
  CHECK(full.err.find("3.png: cannot be written") != std::string::npos);
  CHECK(full.err.find("1 of 6") != std::string::npos);
  CHECK(results(folder / "out").size() == 5);
  CHECK(lsieve("batch " + folder / "in" + " --resume --into " + folder / "out" + " -- invert").code == 0);
  CHECK(results(folder / "out").size() == 6);
}

TEST_CASE("batch: --resume believes a result only if it is of the bytes that the input has now") {
  const Folder f;
  const std::string in = f / "in", other = f / "other", out = f / "out";
  fs::create_directories(in);
  fs::create_directories(other);
  for (const char* name : {"/a.pgm", "/b.pgm"}) {
    (void)io::write(in + name, test::noise(40, 30, 1, 1), {.bits = 8});
    (void)io::write(other + name, test::noise(40, 30, 1, 2), {.bits = 8});
    // Equal names, sizes and times.
    fs::last_write_time(other + name, fs::last_write_time(in + name));
  }
  const auto written = [&](const std::string& folder, const std::string& more) {
    const auto o = lsieve("batch " + folder + " --into " + out + " --json" + more + " -- invert");
    CAPTURE(o.err);
    REQUIRE(o.code == 0);
    return json::parse(o.out)["written"].get<int>();
  };
  CHECK(written(in, "") == 2);
  CHECK(written(in, " --resume") == 0);
  CHECK(written(other, " --resume") == 2);
  CHECK(test::deviation(io::read(out + "/a.pgm").image,
                        map_samples(io::read(other + "/a.pgm").image, [](float v) { return 1 - v; })) < 1e-6);
  // The input is replaced after its bytes were decoded.
  const auto time = fs::last_write_time(other + "/a.pgm");
  fs::copy_file(in + "/a.pgm", other + "/a.pgm", fs::copy_options::overwrite_existing);
  fs::last_write_time(other + "/a.pgm", time);
  CHECK(written(other, " --resume") == 1);
  // So is a result.
  fs::copy_file(out + "/a.pgm", out + "/b.pgm", fs::copy_options::overwrite_existing);
  CHECK(written(other, " --resume") == 1);
  // Files that the chain names are inputs as well.
  const std::string with = f / "with.pgm", steps = " --resume -- subtract with=" + with;
  (void)io::write(with, test::noise(40, 30, 1, 3), {.bits = 8});
  CHECK(lsieve("batch " + in + " --into " + f / "third" + steps).code == 0);
  CHECK(lsieve("batch " + in + " --into " + f / "third" + steps).code == 0);
  (void)io::write(with, test::noise(40, 30, 1, 4), {.bits = 8});
  const auto changed = lsieve("batch " + in + " --into " + f / "third" + steps);
  CHECK(changed.code == 2);
  CHECK(changed.err.find("had other settings") != std::string::npos);
}

TEST_CASE("batch: no foreign file is changed, and no result is written through a link") {
  const Folder f;
  const std::string in = f / "in", out = f / "out";
  fs::create_directories(in);
  fs::create_directories(out);
  for (int i = 1; i <= 4; ++i)
    (void)io::write(in + "/p" + std::to_string(i) + ".png", test::noise(30, 20, 1, 7), {.bits = 8});
  const std::string call = "batch " + in + " --into " + out, steps = " -- invert";
  // A journal that is none, or a link, or no file.
  test::put(f / "mine.txt", "mine\n");
  fs::create_symlink(f / "mine.txt", out + "/batch.journal");
  for (const char* resume : {"", " --resume"}) CHECK(lsieve(call + resume + steps).code == 2);
  fs::remove(out + "/batch.journal");
  test::put(out + "/batch.journal", "notes of mine\n");
  for (const char* resume : {"", " --resume"}) {
    const auto o = lsieve(call + resume + steps);
    CHECK(o.code == 2);
    CHECK(o.err.find("is no journal of this command and is left as it is") != std::string::npos);
  }
  CHECK(contents(out + "/batch.journal") == "notes of mine\n");
  CHECK(contents(f / "mine.txt") == "mine\n");
  fs::remove(out + "/batch.journal");
  REQUIRE(::mkfifo((out + "/batch.journal").c_str(), 0600) == 0);
  CHECK(lsieve(call + steps).code == 2);
  fs::remove(out + "/batch.journal");
  // One result is a link to another; a folder on the way to a result is a link, too.
  fs::create_symlink("p2.png", out + "/p4.png");
  fs::create_directories(in + "/deep");
  fs::create_directories(f / "elsewhere");
  fs::copy_file(in + "/p1.png", in + "/deep/p1.png");
  fs::create_symlink(f / "elsewhere", out + "/deep");
  const auto linked = lsieve(call + " --recursive" + steps);
  CHECK(linked.code == 1);
  CHECK(std::count(linked.err.begin(), linked.err.end(), '\n') >= 2);
  CHECK(linked.err.find("p4.png: is a symbolic link") != std::string::npos);
  CHECK(fs::is_symlink(out + "/p4.png"));
  CHECK(fs::is_empty(f / "elsewhere"));
  CHECK(contents(out + "/p2.png") == contents(out + "/p1.png"));
  fs::remove(out + "/p4.png");
  fs::remove(out + "/deep");
  // Only what has the name of a temporary file is removed.
  for (const char* name : {"/p1.png.participants.txt", "/p1.png.part", "/p1.png.part7", "/p1.png.part7-x"})
    test::put(out + name, "mine");
  fs::create_directories(out + "/p1.png.part1-1");
  test::put(out + "/p1.png.part12-34", "left by a run that was killed");
  test::put(out + "/p1.png", "cut off");
  CHECK(lsieve(call + " --recursive --resume" + steps).code == 0);
  CHECK_FALSE(fs::exists(out + "/p1.png.part12-34"));
  for (const char* name : {"/p1.png.participants.txt", "/p1.png.part", "/p1.png.part7", "/p1.png.part7-x"})
    CHECK(contents(out + name) == "mine");
  CHECK(fs::exists(out + "/p1.png.part1-1"));
}

TEST_CASE("batch: names that are not UTF-8 are worked on, recognized and printed") {
  const Folder f;
  const std::string in = f / "in";
  fs::create_directories(in);
  for (const char* name : {"/\xff.png", "/\xc3\xbc.png", "/\xfe.png"})
    (void)io::write(in + name, test::noise(20, 10), {.bits = 8});
  const std::string call = "batch " + in + " --into " + f / "out" + " --json --resume -- invert";
  CHECK(json::parse(lsieve(call).out)["written"] == 3);
  const json again = json::parse(lsieve(call).out);
  CHECK(again["already_there"] == 3);
  CHECK(again["pictures"][1]["input"].get<std::string>().ends_with("in/\\xfe.png"));
}
