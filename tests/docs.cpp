// What the README and the guide show is typed in as it stands; the figures of choosing.md are measured.

#include <filesystem>
#include <sstream>

#include "support.hpp"

using namespace sieve;
using test::Folder;
namespace fs = std::filesystem;

namespace {

// The lines of fenced blocks that call the tool, without what is said behind them; those with a word in capitals are
// patterns.
std::vector<std::string> calls(const std::string& page) {
  std::istringstream text(test::contents(std::string(SIEVE_DOCS) + "/" + page));
  std::vector<std::string> all;
  bool fenced = false;
  for (std::string line; std::getline(text, line);) {
    if (line.starts_with("```")) fenced = !fenced;
    if (!fenced || !line.starts_with("lsieve ")) continue;
    line = line.substr(0, line.find("  #"));
    std::istringstream words(line);
    bool pattern = false;
    for (std::string w; words >> w;)
      pattern =
          pattern || (w.size() > 1 && std::all_of(w.begin(), w.end(), [](char c) { return c >= 'A' && c <= 'Z'; }));
    if (!pattern) all.push_back(line);
  }
  return all;
}

// The README and the pages of the guide.
std::vector<std::string> pages() {
  std::vector<std::string> all = {"../README.md", "guide.md"};
  for (const auto& e : fs::directory_iterator(fs::path(SIEVE_DOCS) / "guide"))
    all.push_back("guide/" + e.path().filename().string());
  return all;
}

// A folder as the pages have it: the demo pictures in their place and beside it, a camera's folder, a recipe, a result.
void furnish(const Folder& f) {
  fs::create_directories(f / "data");
  fs::create_directory_symlink(test::data, f / "data/demo");
  fs::copy_file(test::noon_file, f / "noon.png");
  (void)io::write(f / "smooth.png", Gaussian{.sigma = 0.8F}(test::noon()), {});
  fs::create_directories(f / "camera/east");
  const Image small = Shrink{.factor = 8}(test::noon());
  (void)io::write(f / "camera/night-1.tif", small, {.bits = 16});
  (void)io::write(f / "camera/east/night-2.png", small, {.bits = 8});
  test::put(f / "chain.toml", recipe_text(Chain::parse("median radius=1 then stretch")));
}

}  // namespace

TEST_CASE("every call in the README and the guide works as it stands, in the order of the page") {
  int ran = 0;
  for (const std::string& page : pages()) {
    const Folder f;
    furnish(f);
    const std::vector<std::string> all = calls(page);
    for (const std::string& call : all) {
      // These measure for as long as they need to; other tests run them.
      if (call.starts_with("lsieve time") || call.starts_with("lsieve verify")) continue;
      CAPTURE(page);
      CAPTURE(call);
      const auto r = test::run("cd " + f / "" + " && PATH=" + fs::path(LSIEVE_TOOL).parent_path().string() +
                               ":$PATH && export SLURM_ARRAY_TASK_ID=1 && " + call);
      CAPTURE(r.err);
      CHECK(r.code == 0);
      CHECK(!r.out.empty());
      // A sheet that is asked for is there.
      const std::size_t at = call.find("--sheet ");
      if (at != std::string::npos) {
        const std::string sheet = call.substr(at + 8, call.find(' ', at + 8) - at - 8);
        CHECK(io::read(f / sheet).image.width() >= 800);
      }
      ++ran;
    }
  }
  CHECK(ran > 30);
}

TEST_CASE("every file that a page links to is there, and every picture of the tour is linked from the README") {
  const fs::path docs(SIEVE_DOCS);
  int links = 0;
  std::string readme;
  std::vector<std::string> all = pages();
  for (const char* page : {"choosing.md", "conventions.md", "format.md", "performance.md", "../CONTRIBUTING.md"})
    all.emplace_back(page);
  for (const std::string& page : all) {
    const fs::path file = docs / page;
    const std::string text = test::contents(file.string());
    CAPTURE(page);
    REQUIRE(!text.empty());
    if (page == "../README.md") readme = text;
    for (std::size_t at = text.find("]("); at != std::string::npos; at = text.find("](", at + 2)) {
      std::string link = text.substr(at + 2, text.find(')', at) - at - 2);
      link = link.substr(0, link.find('#'));
      // A lambda in a piece of code looks like a link, too.
      if (link.empty() || link.find("://") != std::string::npos || link.find(' ') != std::string::npos) continue;
      CAPTURE(link);
      CHECK(fs::exists(file.parent_path() / link));
      ++links;
    }
  }
  CHECK(links > 40);
  for (const auto& e : fs::directory_iterator(docs / "screenshots")) {
    CAPTURE(e.path().filename().string());
    CHECK(readme.find("screenshots/" + e.path().filename().string()) != std::string::npos);
  }
}

TEST_CASE("choosing.md: every figure in its tables is what the filters give") {
  std::istringstream page(test::contents(std::string(SIEVE_DOCS) + "/choosing.md"));
  Image damaged;
  int rows = 0, sections = 0;
  for (std::string line; std::getline(page, line);) {
    const std::string call = "`lsieve apply noon.png ";
    if (const auto at = line.find(call); at != std::string::npos) {
      const auto from = line.find(' ', at + call.size()) + 1;
      damaged = Chain::parse(line.substr(from, line.find('`', from) - from))(test::noon());
      ++sections;
    } else if (line.starts_with("The demo's `hum.png`")) {
      damaged = io::read(test::data + "/hum.png").image;
      ++sections;
    }
    if (!line.starts_with("| `")) continue;
    ++rows;
    if (test::sanitized && rows % 5 != 0) continue;
    CAPTURE(line);
    const auto end = line.find('`', 3);
    double psnr = 0, similar = 0;
    REQUIRE(std::sscanf(line.c_str() + end, "` | %lf | %lf |", &psnr, &similar) == 2);
    const Image result = Chain::parse(line.substr(3, end - 3))(damaged);
    const double got = compare(result, test::noon()).psnr;
    // What divides by next to nothing hands back roundings: how large, is the FFT library's.
    if (psnr < 0) {
      CHECK(got < 0);
    } else {
      CHECK(std::abs(got - psnr) <= 0.03);
      CHECK(std::abs(ssim(result, test::noon()) - similar) <= 0.002);
    }
  }
  CHECK(sections >= 9);
  CHECK(rows > 35);
}
