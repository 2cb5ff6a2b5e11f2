// The tool on a device: what it prints, what it keeps, and what it refuses.

#include <nlohmann/json.hpp>

#include "sieve/device.hpp"
#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::Folder;
using test::lsieve;

TEST_CASE("the tool: devices, --device, and built programs that are kept and may be spoiled") {
  const Folder f;
  const std::string noon = test::noon_file;
  const auto devices = nlohmann::json::parse(lsieve("devices --json --unmeasured").out);
  CHECK(devices.at(0).at("number") == 0);
  const std::string cached = "XDG_CACHE_HOME=" + f / "cache" + " " + std::string(LSIEVE_TOOL);
  const std::string steps = " brightness then contrast then gamma then clip then gaussian sigma=2 --device any --json";
  const auto first = test::run(cached + " apply " + noon + " " + f / "a.png" + steps);
  REQUIRE(first.code == 0);
  const auto told = nlohmann::json::parse(first.out).at("device").at(0);
  CHECK(told.at("uploads") == 1);
  CHECK(told.at("kernels") == 3);
  CHECK(told.at("downloads") == 1);
  std::size_t kept = 0;
  for (const auto& e : std::filesystem::recursive_directory_iterator(f / "cache/lean-sieve")) {
    if (!e.is_regular_file()) continue;
    const std::string whole = test::contents(e.path().string());
    test::put(e.path().string(), kept++ == 0 ? "spoiled" : whole.substr(0, whole.size() / 2));
  }
  CHECK(kept == 2);
  const auto again = test::run(cached + " apply " + noon + " " + f / "b.png" + steps);
  CHECK(again.code == 0);
  CHECK(identical(io::read(f / "a.png").image, io::read(f / "b.png").image));
  CHECK(lsieve("apply " + noon + " " + f / "c.png gamma --device none-such").code == 2);
  CHECK(lsieve("apply " + noon + " " + f / "c.png gamma --device none-such --device-or-cpu").code == 0);
  CHECK(lsieve("apply " + noon + " " + f / "d.png gamma --device any --sheet " + f / "s.png").code == 2);
  const auto plan = nlohmann::json::parse(
      lsieve("apply " + noon + " " + f / "d.png gamma then clahe --device any --plan --json").out);
  CHECK(plan.at("passes").at(0).at("way") == "device");
  CHECK(plan.at("passes").at(1).at("way") == "whole");
  const auto verified = lsieve("verify --device any");
  CHECK(verified.code == 0);
  CHECK(std::count(verified.out.begin(), verified.out.end(), '\n') > 65);
  // Two that start at once on an empty cache both build, and leave whole programs.
  const std::string at_once = "XDG_CACHE_HOME=" + f / "other" + " " + std::string(LSIEVE_TOOL) + " apply " + noon + " ";
  const std::string sharp = " unsharp then gamma --device any > /dev/null";
  CHECK(test::run(at_once + f / "p.png" + sharp + " & " + at_once + f / "q.png" + sharp + "; a=$?; wait $! && exit $a")
            .code == 0);
  CHECK(identical(io::read(f / "p.png").image, io::read(f / "q.png").image));
  CHECK(test::run(at_once + f / "r.png" + sharp).code == 0);
  // The page on devices names every form.
  const std::string page = test::contents(SIEVE_DOCS "/guide/devices.md");
  for (const std::string& name : device::forms()) {
    CAPTURE(name);
    CHECK(page.find('`' + name + '`') != std::string::npos);
  }
  CHECK(lsieve("verify clahe --device any").code == 2);
  const auto timed =
      nlohmann::json::parse(lsieve("time gaussian 'sigma=1|2' --device any --sizes 256x256 --runs 2 --json").out);
  CHECK(timed.at("rows").size() == 2);
  CHECK(timed.at("rows").at(1).at("kernels") == 2);
  const auto table =
      lsieve("time gaussian 'sigma=1|2' --device any --sizes 256x256 --runs 2 --sheet " + f / "time.png");
  CHECK(table.out.find("256x256, 1 channel; medians of 2 runs") != std::string::npos);
  CHECK(table.out.find("sigma=2") != std::string::npos);
  CHECK(io::read(f / "time.png").image.width() == 1280);
  CHECK(lsieve("time clahe --device any --sizes 64x64 --runs 2").err.find("no form of any step") != std::string::npos);
  CHECK(test::run(std::string(EXAMPLES) + "/own_device_filter " + noon).out.find("1 upload, 4 kernels, 1 download") !=
        std::string::npos);
}
