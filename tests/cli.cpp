// The command line as a library, with a catalogue of one's own, in this process; and the examples as users run them.

#include "support.hpp"

#include <fcntl.h>
#include <signal.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "sieve/cli.hpp"
#include "sieve/io.hpp"

using namespace sieve;
using nlohmann::json;
using test::Folder;

namespace {

// A filter that fails in the middle of its work.
struct Failing {
  bool badly = false;
  Image operator()(const ConstView& in) const {
    if (badly) throw std::runtime_error("not an error of the library");
    if (in.width() > 4) throw Error("failing: the lamp went out");
    return Image(in);
  }
  static void describe(Description<Failing>& d) {
    d.called("failing", "mine", "Fails.").field("badly", &Failing::badly, "", "in another way");
  }
};

struct Called {
  int code;
  std::string out, err;
};

// Runs a command line in this process with both streams caught.
Called in_process(const Catalogue& catalogue, std::vector<std::string> words) {
  const Folder folder;
  std::vector<const char*> arguments = {"lsieve"};
  for (const std::string& w : words) arguments.push_back(w.c_str());
  const auto divert = [](int fd, const std::string& path) {
    const int saved = ::dup(fd), file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    ::dup2(file, fd);
    ::close(file);
    return saved;
  };
  std::fflush(stdout);
  std::fflush(stderr);
  const int out = divert(1, folder / "out"), err = divert(2, folder / "err");
  const int code = cli::run(static_cast<int>(arguments.size()), arguments.data(), catalogue);
  std::fflush(stdout);
  std::fflush(stderr);
  ::dup2(out, 1);
  ::dup2(err, 2);
  ::close(out);
  ::close(err);
  return {code, test::contents(folder / "out"), test::contents(folder / "err")};
}

Catalogue own() {
  Catalogue c = Catalogue::standard();
  c.add<Failing>();
  return c;
}

}  // namespace

TEST_CASE("a filter of one's own is listed, run, and its failure is one line with exit code 1") {
  const Folder f;
  const std::string chart = test::data + "/chart.png";
  CHECK(in_process(own(), {"list"}).out.find("failing") != std::string::npos);
  CHECK(json::parse(in_process(own(), {"list", "failing", "--json"}).out)["parameters"][0]["default"] == "no");
  const Called r = in_process(own(), {"apply", chart, f / "o.png", "failing"});
  CHECK(r.code == 1);
  CHECK(r.err == "lsieve: failing: the lamp went out\n");
  CHECK(in_process(own(), {"apply", chart, f / "o.png", "failing", "badly=yes"}).code == 1);
  CHECK(in_process(own(), {"apply", chart, f / "o.png", "failing", "badly=perhaps"}).code == 2);
  CHECK(f.entries() == 0);
  CHECK(in_process(own(), {"apply", chart, f / "o.png", "crop", "width=3", "height=3", "then", "failing"}).code == 0);
  // The standard catalogue is as it was.
  CHECK(in_process(Catalogue::standard(), {"list", "failing"}).code == 2);
}

TEST_CASE("every command has help, JSON that parses where it reports, and refuses what it does not know") {
  const std::string noon = test::noon_file, chart = test::data + "/chart.png";
  for (const char* command :
       {"look", "apply", "list", "kernel", "judge", "lineup", "sweep", "verify", "time", "demo"}) {
    CAPTURE(command);
    const Called help = in_process(Catalogue::standard(), {command, "--help"});
    CHECK(help.code == 0);
    CHECK(help.out.find("Usage") != std::string::npos);
    CHECK(in_process(Catalogue::standard(), {command, "--no-such-option"}).code == 2);
  }
  const Folder f;
  const std::vector<std::vector<std::string>> reports = {{"look", noon, "--json"},
                                                         {"list", "--json"},
                                                         {"kernel", "--json"},
                                                         {"kernel", "emboss", "laplacian", "--json"},
                                                         {"judge", chart, "--truth", chart, "--json"},
                                                         {"apply", chart, f / "o.png", "clip", "--json"},
                                                         {"lineup", chart, "clip", "or", "box", "--json"},
                                                         {"sweep", chart, "box", "radius=1..3:3", "--json"},
                                                         {"verify", "clip", "--json"},
                                                         {"time", "clip", "--sizes", "32x32", "--runs", "1", "--json"}};
  for (const auto& words : reports) {
    CAPTURE(words[0]);
    const Called r = in_process(Catalogue::standard(), words);
    CHECK(r.code == 0);
    CHECK(json::accept(r.out));
    CHECK(r.err.empty());
  }
}

TEST_CASE("the example that list prints for a filter runs as it stands") {
  const Resources files{[](const std::string&) { return test::noise(80, 60); }, {}};
  for (const std::string& name : Catalogue::standard().names()) {
    CAPTURE(name);
    const std::string out = in_process(Catalogue::standard(), {"list", name}).out,
                      start = "example: lsieve apply in.png out.png ";
    const std::size_t at = out.find(start);
    REQUIRE(at != std::string::npos);
    CHECK_NOTHROW(Chain::parse(out.substr(at + start.size()), Catalogue::standard(), files)(test::noise(80, 60)));
  }
}

TEST_CASE("limits and threads by option") {
  const std::string noon = test::noon_file;
  const Called small = in_process(Catalogue::standard(), {"--max-pixels", "1000", "look", noon});
  CHECK(small.code == 1);
  CHECK(small.err.find("more than the limit of 1000 pixels") != std::string::npos);
  const Called short_file = in_process(Catalogue::standard(), {"--max-bytes", "1000", "look", noon});
  CHECK(short_file.code == 1);
  CHECK(short_file.err.find("more than the limit of 1000: raise --max-bytes") != std::string::npos);
  CHECK(
      in_process(Catalogue::standard(), {"--max-bytes", std::to_string(std::filesystem::file_size(noon)), "look", noon})
          .code == 0);
  const Folder f;
  CHECK(
      in_process(Catalogue::standard(), {"--threads", "1", "apply", noon, f / "one.pfm", "gaussian", "sigma=6"}).code ==
      0);
  CHECK(in_process(Catalogue::standard(), {"--threads", "3", "apply", noon, f / "three.pfm", "gaussian", "sigma=6"})
            .code == 0);
  CHECK(test::contents(f / "one.pfm") == test::contents(f / "three.pfm"));
  CHECK(in_process(Catalogue::standard(), {"--threads", "0", "look", noon}).code == 2);
  set_threads(0);
}

TEST_CASE("a second picture and a mask by name; what does not fit is said and nothing is written") {
  const Folder f;
  const std::string lamp = test::data + "/lamp.png", flat = test::data + "/lamp_flat.png", noon = test::noon_file;
  CHECK(
      in_process(Catalogue::standard(), {"apply", lamp, f / "even.pfm", "divide", "with=" + flat, "least=0.01"}).code ==
      0);
  // The flat frame takes the lamp out: the middle of the picture and its dark corner come to the same level.
  const Image before = io::read(lamp).image, after = io::read(f / "even.pfm").image;
  const auto level = [](const Image& v, int x, int y) { return percentile(v.view().part({x, y, 40, 30}), 0.8); };
  CHECK(level(before, 150, 120) / level(before, 465, 350) > 1.5);
  CHECK(level(after, 150, 120) / level(after, 465, 350) == doctest::Approx(1).epsilon(0.08));
  CHECK(in_process(Catalogue::standard(),
                   {"apply", lamp, f / "soft.pfm", "within", "mask=" + flat, "then", "gaussian", "sigma=3"})
            .code == 0);
  const Called missing =
      in_process(Catalogue::standard(), {"apply", lamp, f / "x.png", "subtract", "with=" + f / "none.png"});
  CHECK(missing.code == 1);
  CHECK(missing.err.find("none.png: cannot be opened") != std::string::npos);
  CHECK(in_process(Catalogue::standard(), {"apply", lamp, f / "x.png", "subtract"}).err.find("with= is missing") !=
        std::string::npos);
  const Called unlike = in_process(Catalogue::standard(), {"apply", lamp, f / "x.png", "subtract", "with=" + noon});
  CHECK(unlike.code == 2);
  CHECK(unlike.err.find("must be of one size") != std::string::npos);
  CHECK(!std::filesystem::exists(f / "x.png"));
}

TEST_CASE("the examples do what they say") {
  const Folder f;
  const std::string fog = test::data + "/fog.png", noon = test::noon_file, dir = EXAMPLES;
  const auto levels = test::run(dir + "/tone_levels " + fog + " " + f / "l.png " + noon);
  CHECK(levels.code == 0);
  CHECK(levels.out.find("before: low contrast") == 0);
  CHECK(levels.out.find("after:  balanced") != std::string::npos);
  CHECK(exposure(io::read(f / "l.png").image).verdict == ExposureVerdict::balanced);
  CHECK(levels.out.find("level 7: 0 pixels, cumulative 1, becomes 7") != std::string::npos);
  const auto light = test::run(dir + "/color_and_illumination " + test::data + "/lamp.png " + test::data +
                               "/lamp_flat.png " + noon + " " + f / "p.png " + f / "v.png");
  CHECK(light.code == 0);
  CHECK(light.out.find("take  flatten by=polynomial") != std::string::npos);
  CHECK(light.out.find("note: factors in linear light") != std::string::npos);
  CHECK(statistics(io::read(f / "p.png").image)[0].mean > 0.9);
  const auto mended = test::run(dir + "/denoise_and_sharpen " + noon + " " + f / "m.png");
  CHECK(mended.code == 0);
  CHECK(mended.out.find("unsharp, mask") != std::string::npos);
  CHECK(compare(io::read(f / "m.png").image, io::read(noon).image).psnr > 26);
  const auto waves = test::run(dir + "/frequencies " + test::data + "/hum.png " + f / "w.png");
  CHECK(waves.code == 0);
  CHECK(waves.out.find("wave of period 7.") != std::string::npos);
  CHECK(waves.out.find("waves left: 0") != std::string::npos);
  CHECK(waves.out.find("4096 cosine coefficients: PSNR 2") != std::string::npos);
  CHECK(waves.out.find("approximation 4: 9") != std::string::npos);
  CHECK(io::read(f / "w.png").image.shape() == io::read(noon).image.shape());
  const auto restored = test::run(dir + "/restore_blur " + noon + " " + f / "r.png");
  CHECK(restored.code == 0);
  CHECK(restored.out.find("needs regularization") != std::string::npos);
  CHECK(restored.out.find("wiener: ") != std::string::npos);
  CHECK(compare(io::read(f / "r.png").image, io::read(noon).image).psnr > 25);
  CHECK(restored.out.find("blind: gaussian:sigma=") != std::string::npos);
  const auto packed = test::run(dir + "/pack_picture " + noon + " " + f / "p.lsv");
  CHECK(packed.code == 0);
  CHECK(packed.out.find("wavelet: ") != std::string::npos);
  CHECK(compare(io::read(f / "p.lsv").image, io::read(noon).image).psnr > 35);
  const auto filed = test::run(dir + "/files_and_arrays " + noon + " " + f / "a.npy");
  CHECK(filed.code == 0);
  CHECK(filed.out.find("samples lost\n") == std::string::npos);
  CHECK(filed.out.find("samples lost in 8 bits, 0 in floats") != std::string::npos);
  CHECK(identical(io::read(f / "a.npy").image, Unsharp{}(io::read(noon).image)));
  const auto paged = test::run(dir + "/page_to_hand_on " + noon + " " + f / "p.html");
  CHECK(paged.code == 0);
  CHECK(paged.out.find("4 values to slide through") != std::string::npos);
  CHECK(test::contents(f / "p.html").find("\"key\":\"amount\"") != std::string::npos);
  const auto steps = test::run(dir + "/spatial_steps " + noon + " " + f / "s.png");
  CHECK(steps.code == 0);
  CHECK(io::read(f / "s.png").image.width() == 1280);
  const auto damage = test::run(dir + "/damage_and_judge " + noon + " " + f / "d.png");
  CHECK(damage.code == 0);
  CHECK(damage.out.find("gaussian: PSNR") != std::string::npos);
  CHECK(io::read(f / "d.png").record.find("blur psf=disk:radius=1.5") != std::string::npos);
  CHECK(io::read(f / "d.png").record.find("seed=11") != std::string::npos);
  CHECK(test::run(dir + "/own_operation " + noon + " " + f / "o.png").code == 0);
  CHECK(io::read(f / "o.png").image.shape() == io::read(noon).image.shape());
  CHECK(test::run(dir + "/own_buffer").out.find("interleaved: 255, 192000 samples above 1") != std::string::npos);
  const std::string planned = f / "planned.png", chain = " median then stretch then gamma then equalize --plan";
  const auto plan = test::lsieve("apply " + noon + " " + planned + chain);
  CHECK(plan.code == 0);
  CHECK(plan.out.find("2. stretch, gamma: measures the picture, then in one pass over rows") != std::string::npos);
  CHECK(plan.out.find("3. equalize: on the whole picture: a sample depends on the whole picture") != std::string::npos);
  const auto told = json::parse(test::lsieve("apply " + noon + " " + planned + chain + " --json").out);
  CHECK(told["passes"][1]["way"] == "rows");
  CHECK(told["passes"][1]["measures"] == true);
  CHECK(told["passes"][2]["steps"] == json{"equalize"});
  CHECK_FALSE(std::filesystem::exists(planned));
  const auto frames = test::run(dir + "/frames_and_deadlines " + noon);
  CHECK(frames.code == 0);
  CHECK(frames.out.find("1. median, unsharp sigma=2, gamma exponent=0.9: by strips") != std::string::npos);
  CHECK(frames.out.find("search=50: stopped at its deadline") != std::string::npos);
  CHECK(frames.out.find("the same bits with a report and without") != std::string::npos);
  CHECK(test::run(dir + "/frames_and_deadlines").code == 1);
  for (const char* name : {"tone_levels", "spatial_steps", "own_operation", "damage_and_judge", "denoise_and_sharpen",
                           "frequencies", "restore_blur", "pack_picture", "files_and_arrays"}) {
    CHECK(test::run(dir + "/" + name).code == 1);
    CHECK(test::run(dir + "/" + name + " " + f / "none.png " + f / "x.png").err.find("cannot be opened") !=
          std::string::npos);
  }
}

TEST_CASE("words in any order and number: an exit code of 0, 1 or 2 and a line that says why, never a crash") {
  const Folder folder;
  const std::string small = folder / "small.pgm";
  (void)io::write(small, test::noise(12, 9), {.bits = 8});
  const std::vector<std::string> commands = {"look",   "levels",     "apply",      "list",     "kernel", "judge",
                                             "lineup", "sweep",      "psf",        "find-psf", "advise", "pack",
                                             "unpack", "compaction", "completion", "nonsense"};
  const std::vector<std::string> words = {small,
                                          folder / "none.png",
                                          folder / "out.png",
                                          "gaussian",
                                          "sigma=2",
                                          "sigma=0.5..2:3",
                                          "radius=-1",
                                          "then",
                                          "or",
                                          "end",
                                          "within",
                                          "--json",
                                          "--sheet",
                                          "--truth",
                                          "--help",
                                          "--by",
                                          "--rate",
                                          "0.5",
                                          "-1",
                                          "1e999",
                                          "nan",
                                          "",
                                          "--",
                                          "-",
                                          "=",
                                          "sigma=",
                                          "x=1=2",
                                          "then then",
                                          std::string(3000, 'a'),
                                          "\xff\xfe",
                                          "--threads",
                                          "0",
                                          "--size",
                                          "9x9",
                                          "--bins",
                                          "70000",
                                          "--range",
                                          "1,0",
                                          "--keep",
                                          "3"};
  // A generator of its own, so that a failure can be repeated.
  std::uint64_t state = 12345;
  const auto pick = [&](std::size_t n) {
    state = state * 6364136223846793005ULL + 1442695040888963407ULL;
    return static_cast<std::size_t>(state >> 33) % n;
  };
  const Catalogue catalogue = Catalogue::standard();
  int refused = 0, done = 0;
  for (int round = 0; round < 700; ++round) {
    std::vector<std::string> call = {commands[pick(commands.size())]};
    if (pick(3) > 0) call.push_back(small);
    for (std::size_t n = pick(6); n > 0; --n) call.push_back(words[pick(words.size())]);
    std::string shown;
    for (const std::string& w : call) shown += w.substr(0, 40) + " ";
    CAPTURE(shown);
    const Called r = in_process(catalogue, call);
    CHECK(r.code >= 0);
    CHECK(r.code <= 2);
    if (r.code != 0) {
      ++refused;
      CHECK(r.err.starts_with("lsieve: "));
      CHECK(r.err.size() < 20000);  // all words, which may be long, and a line
    }
    done += r.code == 0;
  }
  CHECK(refused > 100);
  CHECK(done > 20);
  // Inputs are as they were.
  CHECK(identical(io::read(small).image, Chain::parse("clip then quantize bits=8")(test::noise(12, 9))));
}

TEST_CASE("called from a program of one's own, the tool gives its handler of Ctrl-C back") {
  const test::Folder f;
  struct sigaction own {
  }, after{};
  own.sa_handler = [](int) {};
  REQUIRE(::sigaction(SIGINT, &own, nullptr) == 0);
  CHECK(in_process(Catalogue::standard(), {"apply", test::noon_file, f / "o.png", "gray"}).code == 0);
  ::sigaction(SIGINT, nullptr, &after);
  CHECK((after.sa_handler == own.sa_handler));
  own.sa_handler = SIG_DFL;
  ::sigaction(SIGINT, &own, nullptr);
}
