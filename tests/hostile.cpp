// Files made to take memory and time: small ones that claim much are refused, or cost what their samples do.

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <thread>

#include "../fuzz/hostile_files.hpp"
#include "support.hpp"

using namespace sieve;
using test::Folder;
using namespace fuzz::hostile;

namespace {

// --- running the tool ---

struct Cost {
  int code = -1;
  long peak = 0;  // bytes
  std::string err;
};
// `lsieve look FILE` with the memory that it took at its peak.
Cost look(const std::string& file, const std::string& errors) {
  const pid_t child = ::fork();
  if (child == 0) {
    ::dup2(::open("/dev/null", O_WRONLY), STDOUT_FILENO);
    ::dup2(::open(errors.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600), STDERR_FILENO);
    ::execl(LSIEVE_TOOL, LSIEVE_TOOL, "look", file.c_str(), static_cast<char*>(nullptr));
    ::_exit(127);
  }
  int status = 0;
  rusage used{};
  REQUIRE(::wait4(child, &status, 0, &used) == child);
  return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), 1024 * used.ru_maxrss,
          test::contents(errors)};
}

}  // namespace

TEST_CASE("small files that claim much cost no more than 64 MB, 64 bytes a byte and 24 bytes a sample") {
  const Folder f;
  const std::string rows_1m(2'000'000, '\x80'), zeros(100'000, '\0');
  std::string tall;
  for (int y = 0; y < 5'000'000; ++y) tall += std::string{'\0', '\x80'};
  std::string texts;
  for (int i = 0; i < 300; ++i) texts += text("k" + std::to_string(i), std::string(7'900'000, 'a'));
  const Packed flat = pack(Image(4096, 4096));
  std::vector<std::uint8_t> cut(flat.bytes.begin(), flat.bytes.begin() + 60);
  struct File {
    const char* name;
    std::string bytes;
    int code;
    double samples;  // that are really decoded
    const char* word;
  };
  const std::vector<File> files = {
      {"chunk.png",
       png(1, 1, 8, 0, std::string(2, '\0')).substr(0, 33) + big_endian(0x7ffffff0) + "tEXt" + std::string(16, 'a'), 1,
       0, "a chunk is longer"},
      {"tall.png", png(1, 5'000'000, 8, 0, tall), 0, 5e6, ""},
      {"texts.png", png(1, 1, 8, 0, std::string(2, '\0'), texts), 0, 1, ""},
      {"interlaced.png", png(8000, 8000, 16, 6, zeros + zeros, "", true), 1, 1e5, "than its"},
      {"tile.tif", tiled(900), 1, 0, "its tiles have 15099494400 bytes"},
      {"tile_one.tif", tiled(1), 1, 0, "too few for its samples"},
      {"deflate.tif", striped(9000, 8, 8, std::string(800, 'x')), 1, 0, "than its"},
      {"fax.tif", striped(23000, 1, 4, std::string(800, '\xff')), 1, 0, "than its"},
      {"zstd.tif", striped(23000, 8, 50000, std::string(800, 'x')), 1, 0, "than its"},
      {"scans.jpg", many_scans(4096, 882), 1, 0, "has 882 scans"},
      {"flat.lsv", {flat.bytes.begin(), flat.bytes.end()}, 0, 4096 * 4096, ""},
      {"cut.lsv", {cut.begin(), cut.end()}, 1, 0, "far more than 60 bytes can hold"},
  };
  for (const File& file : files) {
    CAPTURE(std::string(file.name));
    test::put(f / file.name, file.bytes);
    const Cost c = look(f / file.name, f / "err");
    CAPTURE(c.err);
    CHECK(c.code == file.code);
    CHECK(std::count(c.err.begin(), c.err.end(), '\n') == (file.code == 0 ? 0 : 1));
    CHECK(c.err.find(file.word) != std::string::npos);
    if (file.code != 0) CHECK(c.err.find(file.name) != std::string::npos);
    const double allowed = 64e6 + 64 * static_cast<double>(file.bytes.size()) + 24 * file.samples;
    if (!test::sanitized) CHECK(static_cast<double>(c.peak) <= allowed);
  }
}

TEST_CASE("the memory limit counts what decoding takes, padding included, and is named with its option") {
  const Folder f;
  for (const char* name : {"a.png", "a.tif", "a.jpg", "a.ppm", "a.pfm", "a.npy", "a.lsv"}) {
    CAPTURE(std::string(name));
    (void)io::write(f / name, test::noon());
    const auto samples = static_cast<std::uint64_t>(test::noon().shape().samples());
    CHECK_THROWS_WITH_AS(io::read(f / name, {.memory = 4 * samples - 1}), doctest::Contains("raise Limits::memory"),
                         Error);
    CHECK(io::read(f / name, {.memory = 40 * samples}).image.shape() == test::noon().shape());
    const auto o = test::lsieve("--max-memory 1000 look " + f / name);
    CHECK(o.code == 1);
    CHECK(o.err.find("raise --max-memory") != std::string::npos);
  }
  // A narrow image takes the memory of its samples.
  const Image narrow(1, 3000);
  CHECK(narrow.view().row_stride == 1);
  CHECK(Image(17, 2).view().row_stride == 32);
}

TEST_CASE("flat images of any size unpack again") {
  for (const auto& [width, height] : {std::pair{5000, 3000}, {1, 4'200'000}, {4'200'000, 1}}) {
    for (const PackBy by : {PackBy::wavelet, PackBy::cosine, PackBy::pca}) {
      CAPTURE(width);
      Image flat(width, height);
      flat.fill(0.5F);
      const Packed p = pack(flat, {.by = by});
      CHECK(test::deviation(unpack(p.bytes).image, flat) < 0.01);
    }
  }
  // Padding is zeros, as many as are needed.
  std::vector<std::uint8_t> bytes = pack(Image(5000, 3000)).bytes;
  bytes.back() = 1;
  CHECK_THROWS_AS(unpack(bytes), Error);
  bytes.back() = 0;
  bytes.push_back(0);
  CHECK_THROWS_AS(unpack(bytes), Error);
}

TEST_CASE("a stop ends the scans of a progressive JPEG, and the wait for a pipe") {
  const Folder f;
  test::put(f / "scans.jpg", many_scans(12000, 24));
  REQUIRE(::mkfifo((f / "pipe").c_str(), 0600) == 0);
  for (const std::string& file : {f / "scans.jpg", f / "pipe"}) {
    CAPTURE(file);
    Watch watch;
    std::jthread stopping([&] {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
      watch.stop();
    });
    const Watch::Active active(watch);
    CHECK_THROWS_AS((void)io::read(file, {.pipes = true}), Canceled);
  }
}

TEST_CASE("pipes and devices are read as the input of apply and look alone") {
  const Folder f;
  const std::string out = f / "out.png", pipe = f / "pipe";
  test::LateFile late(pipe);
  for (const std::string& call : {"judge " + pipe + " --truth " + test::noon_file,
                                  "apply " + test::noon_file + " " + out + " subtract with=/dev/zero",
                                  "apply " + test::noon_file + " " + out + " convolve kernel=@/dev/zero",
                                  "apply " + test::noon_file + " " + out + " subtract with=" + pipe,
                                  "batch " + pipe + " --into " + (f / "results") + " -- invert"}) {
    CAPTURE(call);
    const auto o = test::lsieve(call);
    CHECK(o.code != 0);
    CHECK((o.err + o.out).find("is not a regular file") != std::string::npos);
  }
  CHECK_THROWS_WITH_AS(io::read("/dev/zero"), doctest::Contains("not a regular file"), Error);
  const auto zero = test::lsieve("look /dev/zero");
  CHECK(zero.code == 1);
  CHECK(zero.err.find("unrecognized image format") != std::string::npos);
  test::Outcome o;
  std::jthread reader([&] { o = test::lsieve("look " + pipe); });
  late.send(test::contents(test::noon_file));
  reader.join();
  CHECK(o.code == 0);
  CHECK(o.out.find("768x512") != std::string::npos);
}

TEST_CASE("recipes are bounded before they are parsed") {
  const Folder f;
  const auto repeated = [](int n, const std::string& what) {
    std::string s;
    for (int i = 0; i < n; ++i) s += what;
    return s;
  };
  CHECK_THROWS_WITH_AS((void)recipe_words(repeated(40'000, "# a comment, no more than that\n"), "r.toml"),
                       doctest::Contains("a recipe has at most"), InvalidArgument);
  for (const auto& [recipe, word] : std::vector<std::pair<std::string, std::string>>{
           {repeated(149'999, "a.") + "a = 1\n", "nested at most"},
           {"[" + repeated(149'999, "a.") + "a]\n", "nested at most"},
           {"a = " + repeated(100'000, "[\n") + repeated(100'000, "]"), "nested at most"},
           {"a = " + repeated(50'000, "{b=") + "1" + repeated(50'000, "}"), "nested at most"},
           {"a = \"" + std::string(70'000, 'x') + "\"\n", "a line of a recipe"},
           {"a = \"\"\"\\\"" + repeated(50, "[") + "\"\"\"\n", "unknown key 'a'"},
           {"# " + repeated(50, "[") + "\nb = 1", "unknown key 'b'"}}) {
    CAPTURE(word);
    test::put(f / "r.toml", recipe);
    const auto o = test::lsieve("apply " + test::noon_file + " " + f / "out.png" + " --recipe " + f / "r.toml");
    CHECK(o.code == 2);
    CHECK(o.err.find(word) != std::string::npos);
  }
}

TEST_CASE("text from files reaches a terminal escaped, and long input is quoted in part") {
  const Folder f;
  const std::string odd = f /
                          "\x1b[31m\xe2\x80\xae"
                          "a\xc2\x9b"
                          "b\xff.png";
  std::filesystem::copy_file(test::noon_file, odd);
  const auto o = test::lsieve("look '" + odd + "'");
  CHECK(o.code == 0);
  CHECK(o.out.find("\\x1b[31m\\u202ea\\u009bb\\xff.png") != std::string::npos);
  for (const std::string& text : {o.out, test::lsieve("look '" + odd + "' --json").out,
                                  test::lsieve("apply '" + odd + "' '" + odd + ".x' invert").err}) {
    for (const char* raw : {"\x1b", "\xe2\x80\xae", "\xc2\x9b", "\xff"}) CHECK(text.find(raw) == std::string::npos);
  }
  // A record is text from a file, too.
  (void)io::write(f / "record.png", test::noise(9, 9), {.record = "lean-sieve 0 | invert\x1b[2J\nlsieve: done"});
  const auto record = test::lsieve("look " + f / "record.png");
  CHECK(record.out.find("invert\\x1b[2J\\nlsieve: done") != std::string::npos);
  // A damaged one is left out, with a note.
  (void)io::write(f / "damaged.png", test::noise(9, 9), {.record = "no record at all"});
  const auto damaged = test::lsieve("apply " + f / "damaged.png" + " " + f / "out.png" + " invert");
  CHECK(damaged.code == 0);
  CHECK((damaged.out + damaged.err).find("the record in the input is damaged") != std::string::npos);
  CHECK(io::read(f / "out.png").record == record_of(Chain::parse("invert")));
  // So is a header that an error quotes.
  auto header = io::encode(io::Format::npy, test::noise(9, 9));
  const std::string field = "shape";
  *std::next(std::search(header.begin(), header.end(), field.begin(), field.end()), 2) = '\n';
  CHECK_THROWS_WITH_AS((void)io::decode(header.data(), header.size(), "file"), doctest::Contains("\"sh pe\""), Error);
  const auto long_name = test::lsieve("list " + std::string(100'000, 'x'));
  CHECK(long_name.code != 0);
  CHECK(long_name.err.size() + long_name.out.size() < 3000);
}

TEST_CASE("a file that is replaced keeps its permissions and owner; what is read-only stays") {
  const Folder f;
  const std::string file = f / "a.png";
  const auto mode = [](const std::string& path) {
    struct stat s {};
    REQUIRE(::stat(path.c_str(), &s) == 0);
    return s;
  };
  (void)io::write(file, test::noise(9, 8));
  REQUIRE(::chmod(file.c_str(), 04640) == 0);
  if (::geteuid() == 0) REQUIRE(::chown(file.c_str(), 1234, 4321) == 0);
  if (::geteuid() == 0) REQUIRE(::chmod(file.c_str(), 04640) == 0);
  (void)io::write(file, test::noise(9, 8));
  CHECK((mode(file).st_mode & 07777) == 0640);
  if (::geteuid() == 0) CHECK((mode(file).st_uid == 1234 && mode(file).st_gid == 4321));
  REQUIRE(::chmod(file.c_str(), 0440) == 0);
  const std::string before = test::contents(file);
  CHECK_THROWS_WITH_AS((void)io::write(file, test::noise(5, 5)), doctest::Contains("is read-only"), Error);
  CHECK(test::contents(file) == before);
  // Through a link the file that it names is replaced, unless links are refused.
  std::filesystem::create_symlink("b.png", f / "link.png");
  (void)io::write(f / "link.png", test::noise(3, 3));
  CHECK(std::filesystem::is_symlink(f / "link.png"));
  CHECK(io::read(f / "b.png").image.width() == 3);
  CHECK_THROWS_WITH_AS(io::write_bytes(f / "link.png", {1, 2}, false), doctest::Contains("symbolic link"), Error);
  CHECK(f.entries() == 3);
}

TEST_CASE("mutations of hostile and sound files are decoded or refused with one line") {
  // SIEVE_MUTATIONS for a longer run.
  const char* given = std::getenv("SIEVE_MUTATIONS");
  const int count = given != nullptr ? std::atoi(given) : 150;
  const Image small = test::noise(23, 17, 3);
  std::vector<std::string> seeds = {png(1, 1, 8, 0, std::string(2, '\0'), text("Lean Sieve", "x")),
                                    png(64, 64, 16, 6, std::string(9000, '\0'), "", true),
                                    tiled(900),
                                    tiled(1),
                                    striped(300, 8, 8, std::string(800, 'x')),
                                    striped(300, 1, 4, std::string(800, '\xff')),
                                    many_scans(256, 40)};
  for (const io::Format format : {io::Format::png, io::Format::jpeg, io::Format::tiff, io::Format::pnm, io::Format::pfm,
                                  io::Format::npy, io::Format::packed}) {
    const auto bytes = io::encode(format, small, {.bits = format == io::Format::pfm ? 32 : 8});
    seeds.emplace_back(bytes.begin(), bytes.end());
  }
  std::uint64_t stream = 0;
  for (const std::string& seed : seeds) {
    for (int i = 0; i < count; ++i) {
      const RandomStream random(17, stream++);
      std::uint64_t drawn = 0;
      const auto below = [&](std::size_t n) {
        return std::min(n - 1, static_cast<std::size_t>(random.uniform(drawn++) * static_cast<double>(n)));
      };
      std::string file = seed;
      for (std::size_t changes = 1 + below(4); changes > 0; --changes) {
        const std::size_t at = below(file.size());
        const std::size_t kind = below(5);
        if (kind == 0) file.resize(std::max<std::size_t>(at, 1));
        if (kind == 1) file.insert(at, 1 + below(9), static_cast<char>(below(256)));
        if (kind == 2) file[at] = static_cast<char>(below(2) == 0 ? 0 : 255);
        if (kind >= 3) file[at % file.size()] = static_cast<char>(below(256));
      }
      try {
        const auto loaded =
            io::decode(reinterpret_cast<const std::uint8_t*>(file.data()), file.size(), "file", {.memory = 1 << 28});
        CHECK_FALSE(loaded.image.empty());
      } catch (const Error& e) {
        const std::string message = e.what();
        CAPTURE(message);
        CHECK(message.find('\n') == std::string::npos);
      }
    }
  }
}
