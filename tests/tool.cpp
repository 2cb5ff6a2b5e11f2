#include "support.hpp"

#include <sys/wait.h>

#include <nlohmann/json.hpp>

#include "sieve/io.hpp"

using namespace sieve;
using nlohmann::json;
using test::Folder;
using test::lsieve;
using test::noon_file;

namespace {
const std::string three = test::data + "/three_bit.pgm";
}  // namespace

TEST_CASE("look: figures as text and JSON, samples as stored and as 0..1") {
  const auto text = lsieve("look " + noon_file + " --at 520,150");
  CHECK(text.code == 0);
  CHECK(text.err.empty());
  CHECK(text.out.find("768x512, RGB, 8 bits a sample, PNG") != std::string::npos);
  CHECK(text.out.find("exposure: balanced") != std::string::npos);
  const json j = json::parse(lsieve("look " + three + " --json --at 0,0 --at 63,63").out);
  CHECK(j["width"] == 64);
  CHECK(j["channels"] == 1);
  CHECK(j["bits"] == 3);
  const Image image = io::read(three).image;
  CHECK(j["samples"].size() == 2);
  CHECK(j["samples"][1]["stored"][0] == std::lround(image.at(63, 63) * 7));
  CHECK(j["samples"][1]["values"][0].get<float>() == image.at(63, 63));
  const ChannelStatistics s = statistics(image)[0];
  CHECK(j["statistics"][0]["channel"] == "gray");
  CHECK(j["statistics"][0]["mean"].get<double>() == doctest::Approx(s.mean));
  CHECK(j["statistics"][0]["deviation"].get<double>() == doctest::Approx(s.deviation));
  const json both = json::parse(lsieve("look " + noon_file + " " + three + " --json").out);
  CHECK(both.size() == 2);
  CHECK(both[0]["statistics"].size() == 3);
}

TEST_CASE("levels: the table as text, CSV and JSON; what cannot be is told; look and apply tell findings and notes") {
  const auto j = nlohmann::json::parse(lsieve("levels " + three + " --json").out);
  REQUIRE(j["levels"].size() == 8);
  const Image in = io::read(three).image;
  const auto table = level_table(in);
  std::size_t all = 0;
  for (std::size_t k = 0; k < 8; ++k) {
    const auto& r = j["levels"][k];
    CHECK(r["level"] == k);
    CHECK(r["count"] == table[k].count);
    CHECK(r["cumulative"].get<double>() == table[k].cumulative);
    CHECK(r["probability"].get<double>() == table[k].probability);
    CHECK(r["mapped"] == table[k].mapped);
    all += r["count"].get<std::size_t>();
  }
  CHECK(all == 64 * 64);
  const std::string csv = lsieve("levels " + three + " --csv").out;
  CHECK(csv.find("level,count,probability,cumulative,scaled,mapped,new_count\n0,174,") == 0);
  CHECK(std::count(csv.begin(), csv.end(), '\n') == 9);
  const auto text = lsieve("levels " + noon_file + " --channel red --levels 16");
  CHECK(text.out.find("16 levels of red") != std::string::npos);
  CHECK(nlohmann::json::parse(lsieve("levels " + noon_file + " --json").out)["number_of_levels"] == 256);
  for (const char* wrong : {" --channel alpha", " --levels 1", " --levels 70000", " --csv --json", " --sheet x.jpg"})
    CHECK(lsieve("levels " + noon_file + wrong).code == 2);
  // What apply writes is what the table says.
  const Folder f;
  REQUIRE(lsieve("apply " + three + " " + f / "e.pgm" + " equalize").code == 0);
  const Image out = io::read(f / "e.pgm").image;
  for (int i = 0; i < 4096; i += 7) {
    const auto k = static_cast<std::size_t>(std::lround(in.at(i % 64, i / 64) * 7));
    CHECK(std::lround(out.at(i % 64, i / 64) * 7) == static_cast<long>(table[k].mapped));
  }
  const auto notes =
      nlohmann::json::parse(lsieve("apply " + test::data + "/night.png " + f / "n.png auto_exposure --json").out);
  CHECK(notes["steps"][0]["notes"][0].get<std::string>().find("gamma") != std::string::npos);
  const auto look = nlohmann::json::parse(lsieve("look " + test::data + "/dead_pixels.png --json").out);
  CHECK(look["proposals"][0]["chain"] == "adaptive_median");
  CHECK(look["estimates"]["dark_impulses"].get<double>() > 0.01);
  CHECK(look["levels"]["comb"] == false);
  CHECK(lsieve("look " + test::data + "/lamp.png").out.find("take: flatten by=polynomial") != std::string::npos);
  // Any bins and range, of every channel and of the luma.
  const Image picture = io::read(noon_file).image;
  const auto counted =
      nlohmann::json::parse(lsieve("look " + noon_file + " --bins 7 --range 0.25,0.75 --json").out)["histogram"];
  REQUIRE(counted["channels"].size() == 4);
  for (int c = 0; c < 4; ++c) {
    const Histogram h = histogram(picture, {.channel = c < 3 ? c : luma_channel, .bins = 7, .low = 0.25, .high = 0.75});
    const auto& have = counted["channels"][static_cast<std::size_t>(c)];
    CHECK(have["counts"].get<std::vector<std::size_t>>() == h.counts);
    CHECK(have["below"] == h.below);
    CHECK(have["above"] == h.above);
    CHECK(have["cumulative"].back() == 1);
  }
  CHECK(nlohmann::json::parse(lsieve("look " + three + " --bins 0 --json").out)["histogram"]["channels"][0]["counts"]
            .get<std::vector<std::size_t>>() == histogram(in, {.channel = 0}).counts);
  CHECK(lsieve("look " + three + " --bins 0").out.find("         2   0.28571      1766") != std::string::npos);
  CHECK(lsieve("look " + three + " --bins 0").out.find('\033') == std::string::npos);  // no color but on a terminal
  for (const char* wrong : {" --bins -1", " --bins x", " --range 1,0", " --range 0.5", " --range a,b"})
    CHECK(lsieve("look " + noon_file + wrong).code == 2);
}

TEST_CASE("apply: steps, saturation, depth, and the same samples as the library") {
  const Folder f;
  const auto r = lsieve("apply " + noon_file + " " + f / "e.pfm" +
                        " gray then convolve kernel=0,1,0/1,-4,1/0,1,0 border=mirror then stretch percent=1");
  CHECK(r.code == 0);
  CHECK(r.out.find("2. convolve kernel=0,1,0/1,-4,1/0,1,0 border=mirror (kernel 3x3, sum 0)") != std::string::npos);
  const Image expected = Chain::parse("gray then convolve kernel=laplacian border=mirror then stretch percent=1")(
      io::read(noon_file).image);
  CHECK(identical(io::read(f / "e.pfm").image, expected));
  const auto cut = lsieve("apply " + noon_file + " " + f / "s.png" + " convolve kernel=sharpen --json");
  const json j = json::parse(cut.out);
  CHECK(j["bits"] == 8);
  CHECK(j["saturated"]["below"] > 0);
  CHECK(j["saturated"]["above"] > 0);
  CHECK(j["steps"][0]["minimum"] < 0);
  CHECK(lsieve("apply " + noon_file + " " + f / "s.png" + " convolve kernel=sharpen").out.find("samples saturated") !=
        std::string::npos);
  CHECK(lsieve("apply " + noon_file + " " + f / "d.tif" + " convolve kernel=sharpen --depth float")
            .out.find("no sample saturated") != std::string::npos);
  CHECK(io::read(f / "d.tif").bits == 32);
  CHECK(lsieve("apply " + three + " " + f / "t.pgm" + " absolute").code == 0);
  CHECK(identical(io::read(f / "t.pgm").image, io::read(three).image));  // the depth of 3 bits is kept
  test::put(f / "k.txt", "0 1\n0 0\nanchor 0 0\n");
  CHECK(lsieve("apply " + noon_file + " " + f / "k.png" + " correlate kernel=@" + f / "k.txt").code == 0);
  CHECK(io::read(f / "k.png").image.at(9, 9) == io::read(noon_file).image.at(10, 9));
}

TEST_CASE("pictures come in and go out by pipes, what is told goes the other way") {
  const Folder f;
  const std::string tool = LSIEVE_TOOL, noon = test::noon_file;
  const auto run = [](const std::string& line) { return test::run("(" + line + ")"); };
  // Through two pipes and three formats as through files.
  const auto piped =
      run(tool + " apply - - --format tiff median <" + noon + " | " + tool +
          " apply - - --format npy invert --json | " + tool + " apply - " + (f / "a.png") + " median radius=2");
  CHECK(piped.code == 0);
  CHECK(piped.out.find("standard output") == std::string::npos);
  CHECK(lsieve("apply " + noon + " " + (f / "b.png") + " median then invert then median radius=2").code == 0);
  CHECK(test::contents(f / "a.png").size() > 1000);
  CHECK(identical(io::read(f / "a.png").image, io::read(f / "b.png").image));
  const auto told = run(tool + " apply - - --format ppm median <" + noon + " 2>&1 >" + (f / "c.ppm"));
  CHECK(told.out.find("1. median") != std::string::npos);
  CHECK(io::read(f / "c.ppm").image.width() == io::read(noon).image.width());
  const auto json_of = run(tool + " apply - - --format png invert --json <" + noon + " 2>&1 >/dev/null");
  CHECK(nlohmann::json::parse(json_of.out)["output"] == "-");
  // Packed and unpacked, looked at and judged; the one picture serves as often as it is asked for.
  CHECK(run(tool + " pack - - --lossless <" + noon + " 2>/dev/null | " + tool +
            " unpack - - --format png 2>/dev/null | " + tool + " judge - --truth " + noon)
            .out.find("identical in every sample") != std::string::npos);
  CHECK(run(tool + " look - <" + noon).out.find("-: ") == 0);
  CHECK(run(tool + " apply - " + (f / "zero.tif") + " subtract with=- <" + noon).out.find("range 0 .. 0") !=
        std::string::npos);
  const std::pair<std::string, const char*> wrong[] = {{" - invert", "--format png"},
                                                       {" " + (f / "x.png") + " invert --format png", "goes with -"},
                                                       {" - invert --format bmp", "known are"},
                                                       {" - invert --format png --compression tiny", "fast, normal"}};
  for (const auto& [words, why] : wrong) {
    const auto r = lsieve("apply " + noon + words);
    CHECK(r.code == 2);
    CHECK(r.err.find(why) != std::string::npos);
    CHECK(r.out.empty());
  }
  CHECK(run(tool + " look - </dev/null").err.find("standard input: is empty") != std::string::npos);
  CHECK(run(tool + " look - <" + noon + " --max-bytes 100").err.find("--max-bytes") != std::string::npos);
  const auto full = run(tool + " apply " + noon + " - --format png invert >/dev/full");
  CHECK(full.code == 1);
  CHECK(full.err.find("cannot be written") != std::string::npos);
}

TEST_CASE("sheets are written where asked, only as PNG") {
  const Folder f;
  CHECK(lsieve("apply " + noon_file + " " + f / "a.png" + " gray then clip --sheet " + f / "sheet.png").code == 0);
  CHECK(lsieve("look " + noon_file + " --sheet " + f / "look.png").code == 0);
  CHECK(lsieve("kernel gaussian:sigma=2 sobel_x 1,2,3/4,5,6/7,8,9 --sheet " + f / "kernel.png").code == 0);
  for (const char* name : {"sheet.png", "look.png", "kernel.png"}) CHECK(io::read(f / name).image.width() == 1280);
  CHECK(lsieve("apply " + noon_file + " " + f / "b.png" + " gray --sheet " + f / "sheet.jpg").code == 2);
  CHECK(!std::filesystem::exists(f / "b.png"));
}

TEST_CASE("list and kernel tell names, ranges and sums") {
  CHECK(lsieve("list").out.find("gaussian") != std::string::npos);
  const auto one = lsieve("list gaussian");
  CHECK(one.out.find("a number from 0 to 500 (pixels)") != std::string::npos);
  CHECK(one.out.find("wrong when") != std::string::npos);
  CHECK(json::parse(lsieve("list --json").out).size() == Catalogue::standard().names().size());
  CHECK(lsieve("kernel emboss").out.find("sum 1 (keeps brightness)") != std::string::npos);
  const json k = json::parse(lsieve("kernel gaussian:sigma=1 --json").out);
  CHECK(k["sum"].get<double>() == doctest::Approx(1));
  CHECK(k["taps"].size() == 9);
}

TEST_CASE("wrong calls: exit code 2 and one line; failed work: exit code 1 and nothing written") {
  const Folder f;
  const std::string out = f / "o.png";
  const auto check = [&](const std::string& arguments, int code, const std::string& says) {
    CAPTURE(arguments);
    const auto r = lsieve(arguments);
    CHECK(r.code == code);
    CHECK(r.err.find(says) != std::string::npos);
    CHECK(std::count(r.err.begin(), r.err.end(), '\n') == 1);
    CHECK(!std::filesystem::exists(out));
  };
  check("apply " + noon_file + " " + out + " gausian", 2, "did you mean 'gaussian'");
  check("apply " + noon_file + " " + out + " gaussian sigma=900", 2, "from 0 to 500");
  check("apply " + noon_file + " " + out + " gaussian colour=2", 2, "it has sigma, border, fill");
  check("apply " + noon_file + " " + out + " convolve kernel=1,1/1,1", 2, "anchor");
  check("apply " + noon_file + " " + out + " convolve kernel=box:radius=300 border=inside", 2, "does not fit inside");
  check("apply " + noon_file + " " + out + " convolve stride=0", 2, "stride=0");
  check("apply " + noon_file + " " + f / "o.xyz" + " gray", 2, "ending");
  check("apply " + noon_file + " " + out + " gray --depth 12", 2, "12 bits");
  check("apply " + f / "none.png" + " " + out + " gray", 1, "cannot be opened");
  check("apply " + noon_file + " " + f / "no/o.png" + " gray", 1, "cannot be written");
  check("look " + f / "none.png", 1, "cannot be opened");
  check("look " + noon_file + " --at 900,0", 2, "x is 0..767");
  check("look " + noon_file + " --at 9", 2, "X,Y");
  check("apply " + noon_file + " " + out + " gray --again " + three, 2, "give no steps");
  check("verify median a.png b.png", 2, "one word too many");
  check("demo --into " + f / "demo" + " --data " + f / "none", 1, "say where with --data");
  check("list gaussion", 2, "did you mean 'gaussian'");
  check("kernel sobel", 2, "did you mean 'sobel_");
  check("gadgets", 2, "no command is called 'gadgets'; there are look, ");
  check("aply a.png b.png gray", 2, "no command is called 'aply', did you mean 'apply'");
  check("--threads 2 lok a.png", 2, "did you mean 'look'");
  check("look --at", 2, "lsieve look --help");
  check("", 2, "--help");
  CHECK(lsieve("look " + f / "none.png " + noon_file).code == 1);
  CHECK(lsieve("look " + f / "none.png " + noon_file).out.find("768x512") !=
        std::string::npos);  // one bad file does not hide the rest
  CHECK(lsieve("--help").code == 0);
  CHECK(lsieve("--version").out.find("lsieve 0.") != std::string::npos);
}

TEST_CASE("one is not many: messages count as people do") {
  const Folder f;
  Image in(3, 1);
  in.at(0, 0) = 2;
  (void)io::write(f / "one.tif", in);
  in.at(1, 0) = 3;
  (void)io::write(f / "two.tif", in);
  const auto one = lsieve("apply " + f / "one.tif" + " " + f / "o.png" + " clip low=-9 high=9"),
             two = lsieve("apply " + f / "two.tif" + " " + f / "o.png" + " clip low=-9 high=9");
  CHECK(one.out.find("1 sample outside 0..1") != std::string::npos);
  CHECK(one.out.find("1 sample saturated") != std::string::npos);
  CHECK(two.out.find("2 samples outside 0..1") != std::string::npos);
  CHECK(two.out.find("2 samples saturated") != std::string::npos);
  CHECK(two.out.find("2 of 3 samples (0 below 0, 2 above 1)") != std::string::npos);
  CHECK(lsieve("look " + f / "one.tif").out.find("1 samples") == std::string::npos);
}

TEST_CASE("Ctrl-C ends the work soon and leaves no half file") {
  const Folder f;
  (void)io::write(f / "big.pgm", Image(Shape{9000, 6000, 1}, 255));
  const auto r = test::run("timeout --foreground --preserve-status -s INT 1.2 " LSIEVE_TOOL " apply " + f / "big.pgm" +
                           " " + f / "o.tif" + " convolve kernel=gaussian:sigma=9 method=direct then gaussian sigma=3");
  CHECK(r.code == 1);
  CHECK(r.err.find("stopped") != std::string::npos);
  CHECK(f.entries() == 1);
}

TEST_CASE("the demo runs to the end, and all its sheets are there") {
  const Folder f;
  const std::string call = LSIEVE_TOOL " demo --into " + f / "demo";
  if (test::sanitized) {
    // All scenes take a quarter of an hour there: those of the first minute.
    const auto part = test::run("timeout --foreground --preserve-status -s INT 60 " + call);
    CHECK(part.out.find("1. Look at the noon view") != std::string::npos);
    CHECK(part.err.find("Sanitizer") == std::string::npos);
    return;
  }
  const auto r = test::run(call);
  CHECK(r.code == 0);
  int sheets = 0;
  for (std::size_t at = r.out.rfind("The sheets and pages to open:");
       (at = r.out.find("\n  ", at + 1)) != std::string::npos;) {
    const std::string path = r.out.substr(at + 3, r.out.find(' ', at + 3) - at - 3);
    CAPTURE(path);
    if (path.ends_with(".html")) {
      CHECK(test::contents(path).ends_with("</html>\n"));
    } else {
      CHECK(io::read(path).image.width() == 1280);
    }
    ++sheets;
  }
  CHECK(sheets >= 8);
}

TEST_CASE("the demo pictures are made again, sample for sample") {
  const Folder f;
  CHECK(test::run(std::string(MAKE_DEMO) + " " + f / "data").code == 0);
  int same = 0;
  for (const auto& entry : std::filesystem::directory_iterator(test::data)) {
    CAPTURE(entry.path().string());
    // The bytes are the compressing library's own.
    const Image here = io::read(entry.path().string()).image,
                again = io::read(f / ("data/" + entry.path().filename().string())).image;
    CHECK(identical(here, again));
    CHECK(here.white_level() == again.white_level());
    ++same;
  }
  CHECK(same >= 14);
}

TEST_CASE("the filter reference in docs is what the filters say of themselves") {
  const auto o = lsieve("list --markdown");
  CHECK(o.code == 0);
  CHECK(test::contents(std::string(SIEVE_DOCS) + "/filters.md") ==
        o.out);  // else: lsieve list --markdown > docs/filters.md
  CHECK(lsieve("list --markdown median").code == 2);
}

TEST_CASE("man page and completion name every command, option and filter") {
  const auto page = lsieve("manual"), bash = lsieve("completion");
  REQUIRE(page.code == 0);
  REQUIRE(bash.code == 0);
  for (const char* word : {"apply", "batch", "judge", "\\-\\-resume", "nonlocal_means"})
    CHECK(page.out.find(word) != std::string::npos);
  // Nothing but requests may begin with a dot.
  std::istringstream lines(page.out);
  for (std::string line; std::getline(lines, line);) {
    if (line.starts_with('.'))
      CHECK((line.starts_with(".TH") || line.starts_with(".S") || line.starts_with(".TP") || line.starts_with(".B") ||
             line.starts_with(".PP")));
  }
  const test::Folder folder;
  test::put(folder / "lsieve", bash.out);
  const auto complete = [&](const std::string& words) {
    test::put(folder / "ask", "source " + folder / "lsieve" + "\ncompopt() { :; }\nCOMP_WORDS=(" + words +
                                  ")\nCOMP_CWORD=$((${#COMP_WORDS[@]} - 1))\n_lsieve\necho \"${COMPREPLY[*]}\"\n");
    return test::run("bash --norc " + folder / "ask").out;
  };
  CHECK(complete("lsieve ju") == "judge\n");
  CHECK(complete("lsieve --max-b") == "--max-bytes\n");
  CHECK(complete("lsieve --threads 2 batch --res") == "--resume\n");
  CHECK(page.out.find("\\-\\-max\\-bytes") != std::string::npos);
  CHECK(complete("lsieve batch --res") == "--resume\n");
  CHECK(complete("lsieve apply a.png b.png nonlo").find("nonlocal_means") == 0);
  CHECK(complete("lsieve apply a.png b.png median radius=1 then gaussian si").find("sigma=") == 0);
}
