// The comparing bench of the tool: judge, lineup, sweep, verify, time, records and recipes.

#include "support.hpp"

#include <nlohmann/json.hpp>

#include "sieve/io.hpp"

using namespace sieve;
using nlohmann::json;
using test::Folder;
using test::lsieve;
using test::noon_file;

TEST_CASE("judge: the figures of the library, the gain, identical pictures, a sheet") {
  const Folder f;
  REQUIRE(lsieve("apply " + noon_file + " " + f / "noisy.png" + " gaussian_noise deviation=0.1 seed=3").code == 0);
  REQUIRE(lsieve("apply " + f / "noisy.png" + " " + f / "soft.png" + " gaussian sigma=0.8").code == 0);
  const auto r = lsieve("judge " + f / "soft.png" + " --truth " + noon_file + " --before " + f / "noisy.png" +
                        " --json --sheet " + f / "s.png");
  CHECK(r.code == 0);
  const json j = json::parse(r.out);
  const Comparison q = compare(io::read(f / "soft.png").image, io::read(noon_file).image);
  CHECK(j["mse"].get<double>() == doctest::Approx(q.mse));
  CHECK(j["psnr"].get<double>() == doctest::Approx(q.psnr));
  CHECK(j["ssim"].get<double>() == doctest::Approx(q.ssim));
  CHECK(j["gain"]["psnr"].get<double>() > 3);
  CHECK(io::read(f / "s.png").image.width() == 1280);
  const json same = json::parse(lsieve("judge " + noon_file + " --truth " + noon_file + " --json").out);
  CHECK(same["psnr"].is_null());
  CHECK(same["identical"] == true);
  CHECK(lsieve("judge " + noon_file + " --truth " + test::data + "/chart.png").code == 2);
  CHECK(lsieve("judge " + noon_file).code == 2);
}

TEST_CASE("lineup: every candidate on the same input, the best marked, in order and as tables") {
  const Folder f;
  lsieve("apply " + noon_file + " " + f / "n.pfm" + " gaussian_noise deviation=0.1");
  const std::string call =
      "lineup " + f / "n.pfm" + " --truth " + noon_file + " gaussian sigma=3 or gaussian sigma=0.8 then clip or box";
  const json j = json::parse(lsieve(call + " --json").out);
  REQUIRE(j["candidates"].size() == 3);
  const Image expected = Chain::parse("gaussian sigma=0.8 then clip")(io::read(f / "n.pfm").image);
  CHECK(j["candidates"][1]["psnr"].get<double>() == doctest::Approx(compare(expected, io::read(noon_file).image).psnr));
  double most = 0;
  for (const json& c : j["candidates"]) most = std::max(most, c["psnr"].get<double>());
  for (const json& c : j["candidates"]) CHECK(c["best"].get<bool>() == (c["psnr"].get<double>() == most));
  const auto csv = lsieve(call + " --csv");
  CHECK(std::count(csv.out.begin(), csv.out.end(), '\n') == 4);
  CHECK(lsieve(call + " --sheet " + f / "s.png --detail 10,20,40").code == 0);
  CHECK(io::read(f / "s.png").image.width() == 1280);
  CHECK(lsieve("lineup " + f / "n.pfm gaussian or box --sheet " + f / "t.png").code ==
        0);  // without a truth: no ranking
  CHECK(lsieve("lineup " + noon_file + " gaussian or or box").code == 2);
  CHECK(lsieve("lineup " + noon_file + " gaussian or").code == 2);
  CHECK(lsieve("lineup " + noon_file + " gaussian --by psnr").code == 2);
  CHECK(lsieve("lineup " + noon_file + " gaussian --detail 700,500,40").code == 2);
}

TEST_CASE("sweep: ranges, logarithmic ranges and lists; one value or two") {
  const Folder f;
  lsieve("apply " + test::data + "/chart.png " + f / "n.pfm" + " gaussian_noise");
  const std::string start = "sweep " + f / "n.pfm" + " --truth " + test::data + "/chart.png ";
  const json one = json::parse(lsieve(start + "gaussian sigma=0.5..2.5:5 --json --sheet " + f / "a.png").out);
  REQUIRE(one["runs"].size() == 5);
  CHECK(one["runs"][1]["values"]["sigma"].get<double>() == 1);
  const Image third = Gaussian{.sigma = 1.5F}(io::read(f / "n.pfm").image);
  CHECK(one["runs"][2]["psnr"].get<double>() ==
        doctest::Approx(compare(third, io::read(test::data + "/chart.png").image).psnr));
  CHECK(std::count_if(one["runs"].begin(), one["runs"].end(), [](const json& r) { return r["best"].get<bool>(); }) ==
        1);
  const json two = json::parse(
      lsieve(start + "gaussian sigma=0.1..10:3:log then box 'radius=1|2' --json --sheet " + f / "b.png").out);
  REQUIRE(two["runs"].size() == 6);
  CHECK(two["runs"][1]["values"]["sigma"].get<double>() == doctest::Approx(1));
  CHECK(two["runs"][5]["values"]["radius"] == 2);
  CHECK(io::read(f / "b.png").image.width() == 1280);
  CHECK(lsieve("sweep " + f / "n.pfm gaussian sigma=1..2:3").code == 0);
  CHECK(lsieve("sweep " + f / "n.pfm gaussian sigma=1..2:3 --by noise --csv").out.find("sigma,psnr") == 0);
  for (const char* wrong :
       {"gaussian sigma=1", "gaussian sigma=1..2", "gaussian sigma=1..2:1", "gaussian sigma=1..x:3",
        "gaussian sigma=0..2:3:log", "gaussian sigma=1..2:3:exp", "gaussian sigma=1..900:3", "box 'radius=1||2'",
        "gaussian sigma=1..2:30 then box 'radius=1|2|3|4|5|6|7|8|9|10|11|12|13|14'"}) {
    CAPTURE(wrong);
    const auto r = lsieve(start + wrong);
    CHECK(r.code == 2);
    CHECK(r.out.empty());
  }
}

TEST_CASE("what was done is on record and runs again; chains as recipes") {
  const Folder f;
  for (const char* name : {"a.png", "a.tif", "a.jpg"}) {
    CAPTURE(name);
    CHECK(lsieve("apply " + noon_file + " " + f / name + " gaussian_noise deviation=0.05 then gaussian sigma=1").code ==
          0);
    const json j = json::parse(lsieve("look " + f / name + " --json").out);
    CHECK(j["record"].get<std::string>().find(
              "| gaussian_noise deviation=0.05 sigma=0 seed=1 then gaussian sigma=1 border=edge") != std::string::npos);
    CHECK(lsieve("apply --again " + f / name + " " + test::data + "/fog.png " + f / "again.pfm").code == 0);
    CHECK(identical(
        io::read(f / "again.pfm").image,
        Chain::parse("gaussian_noise deviation=0.05 then gaussian sigma=1")(io::read(test::data + "/fog.png").image)));
  }
  // A second step adds to the record of the first.
  CHECK(lsieve("apply " + f / "a.png" + " " + f / "b.png" + " clip").code == 0);
  CHECK(lsieve("look " + f / "b.png").out.find("fill=0 then clip") != std::string::npos);
  CHECK(lsieve("apply --again " + noon_file + " " + noon_file + " " + f / "c.png").code == 2);

  CHECK(lsieve("apply " + noon_file + " " +
               f / "d.pfm within part=10,10,50,50 then box radius=3 then end then stretch percent=1 --save " +
               f / "r.toml")
            .code == 0);
  CHECK(lsieve("apply " + noon_file + " " + f / "e.pfm --recipe " + f / "r.toml").code == 0);
  CHECK(identical(io::read(f / "d.pfm").image, io::read(f / "e.pfm").image));
  CHECK(lsieve("lineup " + noon_file + " --recipe " + f / "r.toml gaussian").code == 0);
  test::put(f / "sweep.toml", "lean_sieve = 1\n[[step]]\nfilter = \"gaussian\"\nsigma = \"1..2:3\"\n");
  CHECK(json::parse(lsieve("sweep " + test::data + "/chart.png --recipe " + f / "sweep.toml --json").out)["runs"]
            .size() == 3);
  const auto says = [&](const std::string& text, const std::string& what) {
    test::put(f / "bad.toml", text);
    const auto r = lsieve("apply " + noon_file + " " + f / "x.png --recipe " + f / "bad.toml");
    CAPTURE(text);
    CAPTURE(r.err);
    CHECK(r.code == 2);
    CHECK(r.err.find(what) != std::string::npos);
    CHECK(!std::filesystem::exists(f / "x.png"));
  };
  says("[[step]]\nfilter = \"gaussian\"\nsgima = 2\n",
       "bad.toml, line 3: gaussian: no parameter 'sgima', did you mean 'sigma'");
  says("[[step]]\nfilter = \"gaussian\"\nsigma = \"two\"\n",
       "bad.toml, line 3: gaussian: sigma has the wrong type: give a number from 0 to 500");
  says("[[step]]\nfilter = \"gaussian\"\nsigma = -1\n", "line 3");
  says("[[step]]\nfilter = \"gausian\"\n", "line 2: no filter is called 'gausian', did you mean 'gaussian'");
  says("[[step]]\nfilter = \n", "line 2");
  says("[[steps]]\nfilter = \"clip\"\n", "unknown key 'steps'");
  says("", "no [[step]]");
}

TEST_CASE("verify: all filters agree; a filter of one's own is held against its plain form; a wrong one fails") {
  const json all = json::parse(lsieve("verify --json").out);
  CHECK(all.size() >= 12);
  for (const json& v : all) CHECK(v["agrees"] == true);
  CHECK(lsieve("verify gaussian sigma=3 " + test::data + "/chart.png").out.find("agrees") == 0);
  const auto mine = test::run(std::string(OWN_FILTER) + " verify local_range radius=2");
  CHECK(mine.code == 0);
  CHECK(mine.out.find("agrees  local_range radius=2") == 0);
  CHECK(test::run(std::string(OWN_FILTER) + " list local_range").out.find("a whole number from 0 to 50") !=
        std::string::npos);
  CHECK(lsieve("verify poisson_noise").code == 2);  // random damage has no plain form
  CHECK(lsieve("verify nothing").code == 2);
}

TEST_CASE("time: every size and number of threads, with the multiple of a copy") {
  const Folder f;
  const json j = json::parse(
      lsieve("time gaussian sigma=1 then clip --sizes 64x64,300x200 --runs 3 --json --sheet " + f / "t.png").out);
  REQUIRE(j["sizes"].size() == 2);
  CHECK(j["sizes"][1]["width"] == 300);
  CHECK(j["sizes"][1]["multiple_of_copy"].get<double>() > 0);
  CHECK(j["sizes"][1]["minimum_seconds"].get<double>() <= j["sizes"][1]["median_seconds"].get<double>());
  CHECK(j["threads"].size() >= 1);
  CHECK(io::read(f / "t.png").image.width() == 1280);
  CHECK(lsieve("time gaussian --on " + test::data + "/chart.png --runs 2").out.find("384x256") != std::string::npos);
  CHECK(lsieve("time gaussian --sizes 0x3").code == 2);
}

TEST_CASE("Ctrl-C in a long sweep keeps and shows what is finished") {
  const Folder f;
  (void)io::write(f / "big.pgm", Image(Shape{1500, 1000, 1}, 255));
  const auto r = test::run("timeout --foreground --preserve-status -s INT 2 " LSIEVE_TOOL " sweep " + f / "big.pgm" +
                           " gaussian sigma=1..3:200");
  CHECK(r.code == 1);
  CHECK(r.err.find("of 200 runs are finished and shown") != std::string::npos);
  CHECK(r.out.find("sigma=1 ") != std::string::npos);
}

TEST_CASE("trials leak nothing into each other: every run of a sweep is the run alone, in any order") {
  const Folder f;
  const std::string chart = test::data + "/chart.png";
  const auto psnr_of = [&](const std::string& call) {
    std::vector<double> all;
    const json j = json::parse(lsieve(call + " --truth " + chart + " --json").out);
    for (const json& r : j.contains("runs") ? j["runs"] : j["candidates"]) all.push_back(r["psnr"].get<double>());
    return all;
  };
  REQUIRE(lsieve("apply " + chart + " " + f / "n.pfm gaussian_noise deviation=0.08 seed=5").code == 0);
  const auto up = psnr_of("sweep " + f / "n.pfm" + " gaussian 'sigma=1|2|3'"),
             down = psnr_of("sweep " + f / "n.pfm" + " gaussian 'sigma=3|2|1'");
  const auto side = psnr_of("lineup " + f / "n.pfm" + " gaussian sigma=1 or gaussian sigma=2 or gaussian sigma=3");
  REQUIRE(up.size() == 3);
  for (std::size_t i = 0; i < 3; ++i) {
    CHECK(up[i] == down[2 - i]);
    CHECK(up[i] == side[i]);
  }
}

TEST_CASE("ranking by another figure, with and without a truth") {
  const Folder f;
  const std::string chart = test::data + "/chart.png";
  REQUIRE(lsieve("apply " + chart + " " + f / "n.pfm gaussian_noise deviation=0.05").code == 0);
  const auto best = [&](const std::string& more) {
    const json j = json::parse(
        lsieve("lineup " + f / "n.pfm" + " gaussian sigma=0.5 or gaussian sigma=5 or clip " + more + " --json").out);
    for (std::size_t i = 0; i < j["candidates"].size(); ++i) {
      if (j["candidates"][i]["best"].get<bool>()) return static_cast<int>(i);
    }
    return -1;
  };
  CHECK(best("") == -1);           // nothing to rank by
  CHECK(best("--by noise") == 1);  // the most smoothed
  CHECK(best("--by sharpness") >= 0);
  CHECK(best("--by sharpness") != 1);
  CHECK(best("--truth " + chart + " --by mse") == best("--truth " + chart));
  CHECK(lsieve("lineup " + f / "n.pfm gaussian --by beauty").err.find("known are psnr, ssim") != std::string::npos);
  CHECK(lsieve("lineup " + f / "n.pfm shrink --truth " + chart).code == 2);  // another size than the truth
}

TEST_CASE("a name with blanks and backslashes is one word: on record, as a recipe, in a line") {
  for (const char* word :
       {"plain", "two words", " led by and ended by ", "back\\slash", "\\", "tab\tand\nline", "then end = then", ""}) {
    CAPTURE(std::string(word));
    const std::string line = std::string("first  ") + one_word("key=" + std::string(word)) + " last";
    CHECK(words_of(line) == std::vector<std::string>{"first", "key=" + std::string(word), "last"});
  }
  CHECK(words_of(" \t ").empty());
  CHECK(words_of("ends in \\") == std::vector<std::string>{"ends", "in", "\\"});

  const test::Folder f;
  const std::string flat = f / "flat of then, a day.png";
  std::filesystem::copy(test::noon_file, flat);
  const auto r = lsieve("apply " + noon_file + " " + f / "a.tif" + " --save " + f / "r.toml" +
                        " -- flat_field 'with=" + flat + "' then clip");
  CAPTURE(r.err);
  REQUIRE(r.code == 0);
  CHECK(lsieve("apply --again " + f / "a.tif " + noon_file + " " + f / "b.tif").code == 0);
  CHECK(lsieve("apply --recipe " + f / "r.toml " + noon_file + " " + f / "c.tif").code == 0);
  CHECK(identical(io::read(f / "a.tif").image, io::read(f / "b.tif").image));
  CHECK(identical(io::read(f / "a.tif").image, io::read(f / "c.tif").image));
  CHECK(io::read(f / "c.tif").record == io::read(f / "a.tif").record);
}

TEST_CASE("time takes recipes, and a picture of one's own") {
  const Folder f;
  test::put(f / "r.toml", "[[step]]\nfilter = \"box\"\nradius = 2\n[[step]]\nfilter = \"clip\"\n");
  const json j =
      json::parse(lsieve("time --recipe " + f / "r.toml --on " + test::data + "/chart.png --runs 2 --json").out);
  CHECK(j["chain"] == "box radius=2 then clip");
  CHECK(j["sizes"][0]["width"] == 384);
  CHECK(lsieve("time --recipe " + f / "r.toml box").code == 2);  // one or the other
  CHECK(lsieve("time").code == 2);
}
