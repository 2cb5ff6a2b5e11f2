// Every command of the tool on pictures that nobody would choose: an answer, or one line that says why not.

#include <sys/stat.h>

#include <map>
#include <nlohmann/json.hpp>

#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::Folder;
using test::lsieve;

namespace {

constexpr float kNan = std::numeric_limits<float>::quiet_NaN(), kInfinity = std::numeric_limits<float>::infinity();

Image with(int width, int height, int channels, const std::function<float(float)>& change) {
  return map_samples(test::noise(width, height, channels), change);
}

std::map<std::string, Image> odd_pictures() {
  std::map<std::string, Image> all;
  all["all NaN"] = with(40, 30, 1, [](float) { return kNan; });
  all["hardly a finite sample"] = with(40, 30, 3, [](float v) {
    return v < 0 ? kNan : v < 0.5F ? kInfinity : v < 1 ? -kInfinity : v;
  });
  all["one infinite"] = test::noise(40, 30);
  all["one infinite"].at(20, 10) = kInfinity;
  all["one pixel"] = test::noise(1, 1);
  all["tall"] = test::noise(1, 300);
  all["wide"] = test::noise(300, 1, 3);
  all["black"] = Image(50, 40, 3);
  all["white"] = with(50, 40, 1, [](float) { return 1.0F; });
  all["enormous"] = with(50, 40, 3, [](float v) { return v * 1e30F; });
  all["tiny"] = with(50, 40, 1, [](float v) { return v * 1e-30F; });
  all["negative"] = with(50, 40, 3, [](float v) { return -1 - v; });
  return all;
}

// IN stands for the picture, DIR for a folder; without --json.
const std::vector<std::string> kCommands = {
    "look IN --sheet DIR/s.png",
    "look IN --spectrum",
    "look IN --cosine 8",
    "look IN --cosine 0",
    "look IN --wavelet haar",
    "look IN --singular",
    "advise IN",
    "find-psf IN",
    "levels IN",
    "judge IN --truth IN --sheet DIR/s.png",
    "lineup IN gaussian or median or total_variation or nonlocal_means --sheet DIR/s.png",
    "lineup IN --truth IN unsharp or flatten",
    "sweep IN gaussian sigma=1..3:3 --sheet DIR/s.png",
    "pack IN DIR/o.lsv",
    "pack IN DIR/o.lsv --by wavelet",
    "pack IN DIR/o.lsv --lossless",
    "rate IN --sheet DIR/s.png",
    "compaction IN --numbers 20",
    "time box --on IN --runs 1",
    "apply IN DIR/o.png stretch then equalize",
    "apply IN DIR/o.jpg auto_exposure",
    "apply IN DIR/o.tif wiener psf=gaussian:sigma=1 --sheet DIR/s.png",
    "batch IN --into DIR/b"};

std::string filled(std::string text, const std::string& in, const std::string& folder) {
  for (const auto& [key, value] : {std::pair<std::string, std::string>{"IN", "'" + in + "'"}, {"DIR", folder}}) {
    for (std::size_t at = text.find(key); at != std::string::npos; at = text.find(key, at + value.size()))
      text.replace(at, key.size(), value);
  }
  return text;
}

}  // namespace

TEST_CASE("every command on odd pictures: JSON, or one line and nothing written") {
  int answered = 0, refused = 0;
  for (const auto& [name, picture] : odd_pictures()) {
    const Folder folder;
    const std::string in = folder / name + ".pfm";
    (void)io::write(in, picture, {});
    for (const std::string& command : kCommands) {
      CAPTURE(name);
      CAPTURE(command);
      const Folder out;
      const bool batch = command.starts_with("batch");
      const auto r = lsieve(filled(command, in, out / "") + " --json" + (batch ? " -- median radius=1" : ""));
      CAPTURE(r.err);
      CHECK(r.code >= 0);
      CHECK(r.code <= 2);
      if (r.code == 0) {
        CHECK(json::accept(r.out));
        ++answered;
        continue;
      }
      ++refused;
      CHECK(std::count(r.err.begin(), r.err.end(), '\n') == 1);
      CHECK(r.err.starts_with("lsieve: "));
      // Whoever asked knows which command he called, not which function it calls.
      for (const char* inner : {"percentile: the picture has", "map_samples", "bad_alloc", "basic_string", "vector::"})
        CHECK(r.err.find(inner) == std::string::npos);
      CHECK(out.entries() == 0);
    }
  }
  CHECK(answered > 150);
  CHECK(refused > 20);
}

TEST_CASE("a candidate that ruins the picture does not end a comparison, and is never the best") {
  const Folder f;
  (void)io::write(f / "in.pfm", test::noise(40, 30), {});
  (void)io::write(f / "nan.pfm", with(40, 30, 1, [](float) { return kNan; }), {});
  for (const char* by : {"noise", "sharpness", "psnr"}) {
    CAPTURE(by);
    const auto r = lsieve("lineup " + f / "in.pfm" + (std::string(by) == "psnr" ? " --truth " + f / "in.pfm" : "") +
                          " add with=" + f / "nan.pfm" + " or gaussian sigma=1 --by " + by + " --json");
    CAPTURE(r.err);
    REQUIRE(r.code == 0);
    const json j = json::parse(r.out);
    const json& list = j["candidates"];
    REQUIRE(list.size() == 2);
    CHECK(list[0]["best"] == false);
    CHECK(list[1]["best"] == true);
  }
}
