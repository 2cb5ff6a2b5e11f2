// Pages that are files: opened in a browser from disk without a network, what stands on them held against the library.

#include "sieve/page.hpp"
#include "browser.hpp"
#include "support.hpp"

using namespace sieve;
using page::Role;
using test::Browser;
using test::Folder;
using test::json;

namespace {

std::string address(const std::string& file) { return "file://" + file; }

// A page of these pictures, written into a file.
std::string written(const Folder& f, const std::string& name, const page::Page& page,
                    const page::PageOptions& options = {}) {
  const std::string html = page.html(options);
  CHECK(html.size() <= std::max<std::size_t>(options.bytes, 1'000'000));
  test::put(f / name, html);
  return address(f / name);
}

// The samples that the page has of a picture.
Image samples_on(Browser& browser, int picture) {
  const json s = browser.promised("(await import('page/model')).pictures.get('p" + std::to_string(picture) +
                                  "')"
                                  ".load().then(s => [s.width, s.height, s.channels, s.white, Array.from(new "
                                  "Uint32Array(s.data.buffer, s.data.byteOffset, s.data.length))])");
  REQUIRE(s.is_array());
  Image image(Shape{s[0], s[1], s[2]}, s[3].get<std::uint32_t>());
  std::size_t i = 0;
  for (int c = 0; c < image.channels(); ++c) {
    for (int y = 0; y < image.height(); ++y) {
      for (int x = 0; x < image.width(); ++x) image.at(x, y, c) = std::bit_cast<float>(s[4][i++].get<std::uint32_t>());
    }
  }
  return image;
}

Image levels(int width, int height, int channels, std::uint32_t white) {
  Image image = test::noise(width, height, channels);
  for (int c = 0; c < channels; ++c) {
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) {
        float& v = image.at(x, y, c);
        v = static_cast<float>(std::round(std::clamp(v, 0.F, 1.F) * static_cast<float>(white)) /
                               static_cast<double>(white));
      }
    }
  }
  image.set_white_level(white);
  return image;
}

}  // namespace

TEST_CASE("samples travel into a page bit for bit, and no coarser than it says where they cannot") {
  if (!Browser::there()) return;
  const Folder f;
  Image odd = test::noise(5, 4, 1);
  odd.at(0, 0) = std::numeric_limits<float>::quiet_NaN();
  odd.at(1, 0) = std::numeric_limits<float>::infinity();
  odd.at(2, 0) = -1e30F;
  odd.at(3, 0) = -0.F;
  odd.at(4, 0) = 1e-40F;
  const std::vector<Image> all = {levels(37, 23, 3, 255),
                                  levels(8, 5, 1, 65535),
                                  levels(9, 9, 4, 255),
                                  levels(3, 7, 1, 1),
                                  test::noise(40, 30, 3),
                                  odd,
                                  Image(1, 1),
                                  test::noise(1, 9, 2)};
  Browser browser(true);
  page::Page exact("exact");
  for (const Image& i : all) exact.add({"picture", i});
  browser.open(written(f, "exact.html", exact));
  for (std::size_t i = 0; i < all.size(); ++i) {
    CAPTURE(i);
    const Image there = samples_on(browser, static_cast<int>(i));
    CHECK(identical(there, all[i]));
    CHECK(there.white_level() == all[i].white_level());
  }
  // With less room: floats are rounded, levels are not; what cannot be rounded stays.
  const Image large = Gaussian{.sigma = 1}(test::noise(300, 200, 3));
  page::Page tight("tight");
  tight.add({"floats", large});
  tight.add({"levels", all[0]});
  tight.add({"odd", odd});
  browser.open(written(f, "tight.html", tight, {.bytes = 900'000}));
  const std::string note = browser.text("#notes");
  CAPTURE(note);
  REQUIRE(note.find("rounded to 1/") != std::string::npos);
  const double step = 1 / std::stod(note.substr(note.find("1/") + 2));
  const double off = test::deviation(samples_on(browser, 0), large);
  CHECK(off > step / 8);
  CHECK(off <= step / 2 + 1e-7);
  CHECK(identical(samples_on(browser, 1), all[0]));
  CHECK(identical(samples_on(browser, 2), odd));
  // With hardly any they are shrunk, too, by the mean of what they cover.
  browser.open(written(f, "small.html", tight, {.bytes = 60'000}));
  const std::string told = browser.text("#notes");
  CAPTURE(told);
  REQUIRE(told.find("shrunk ") != std::string::npos);
  const auto times = static_cast<float>(std::stod(told.substr(told.find("shrunk ") + 7)));
  CHECK(test::deviation(samples_on(browser, 0), Shrink{.factor = times}(large)) <= 1.0 / 256);
}

TEST_CASE("a page needs no network, asks for none, and takes names for words") {
  if (!Browser::there()) return;
  const Folder f;
  const std::string name =
      "</script><script>document.title='taken'</script><img src=x onerror=\"document.title='taken'\">";
  page::Page p("harbor " + name, name);
  p.add({name, test::noise(30, 20), Role::input, StageContent::samples, name, name, {{name, 1.5}}});
  p.add(page::Plot{name, {{name, {0, 1}, {1, 2}, 1}}, name, name, name});
  p.add(page::Table{name, {name}, {{name}}, {0}, 0});
  p.add(name, {name, "second line"});
  p.add(page::Grid{name, 2, 1, {1, -1}, name});
  Browser browser;
  browser.devtools("Network.enable", json::object());
  browser.devtools("Network.emulateNetworkConditions",
                   {{"offline", true}, {"latency", 0}, {"downloadThroughput", 0}, {"uploadThroughput", 0}});
  browser.open(written(f, "names.html", p));
  browser.wait("document.querySelector('.caption')?.textContent.startsWith('</script>')");
  CHECK(browser.value("document.title") == "harbor " + name);
  CHECK(browser.value("performance.getEntriesByType('resource').every(e => e.name.startsWith('data:'))") == true);
  CHECK(browser.value("document.querySelectorAll('img').length") == 0);
  // Nor could it: the policy of the page forbids it.
  CHECK(browser.promised("fetch('http://127.0.0.1:9/').then(() => 'reached', () => 'refused')") == "refused");
  browser.wait("[...document.querySelectorAll('#panel-extra pre')].some(e => e.textContent.endsWith('second line'))");
  CHECK_THROWS_AS(p.add({"empty", Image()}), InvalidArgument);
  CHECK_THROWS_AS(p.add(page::Grid{"g", 2, 2, {1}}), InvalidArgument);
  CHECK_THROWS_AS(p.add(page::Table{"t", {"a", "b"}, {{"1"}}}), InvalidArgument);
  CHECK_THROWS_AS(p.add(page::Table{"t", {"a"}, {{"1"}, {"2"}}, {0}}), InvalidArgument);
  CHECK_THROWS_AS(p.set({{{"a", {"1"}}}, {7}, "psnr", 0}), InvalidArgument);
  CHECK_THROWS_AS(p.set({{{"a", {"1"}}}, {0}, "psnr", 3}), InvalidArgument);
  CHECK_THROWS_WITH_AS(p.set({{{"a", {"1"}}, {"b", {"2"}}, {"c", {"3"}}}, {0}, "psnr", 0}),
                       doctest::Contains("give one or two"), InvalidArgument);
}

TEST_CASE("views, probe, line, rectangle and histogram say what the library says") {
  if (!Browser::there()) return;
  const Folder f;
  const Image in = test::noon();
  Image out = Unsharp{.sigma = 2, .amount = 3}(in);
  out.at(100, 50, 1) = 1.5F;
  page::Page p("views");
  p.add({"before", in, Role::input});
  p.add({"after", out, Role::result});
  Browser browser;
  browser.open(written(f, "views.html", p));
  browser.wait("document.querySelector('#panel-statistics td')");
  // Fitted, in whole steps, in the middle; the picture has two thirds of the page.
  CHECK(browser.text("#zoom") == "1:1");
  CHECK(browser.value("document.getElementById('stage').clientWidth * document.getElementById('stage').clientHeight >= "
                      "1280 * 800 * 2 / 3") == true);
  const int left = browser.value("document.getElementById('canvas').getBoundingClientRect().left");
  const int top = browser.value("document.getElementById('canvas').getBoundingClientRect().top");
  const int ox = left + (browser.value("document.getElementById('canvas').width").get<int>() - in.width()) / 2;
  const int oy = top + (browser.value("document.getElementById('canvas').height").get<int>() - in.height()) / 2;
  const auto pixel = [&](int x, int y) {
    return browser.value("Array.from(document.getElementById('canvas').getContext('2d').getImageData(" +
                         std::to_string(ox - left + x) + "," + std::to_string(oy - top + y) +
                         ",1,1).data).slice(0, 3)");
  };
  const auto screen = [](const Image& i, int x, int y) {
    json all = json::array();
    for (int c = 0; c < 3; ++c) all.push_back(static_cast<int>(i.at(x, y, c) * 255 + 0.5F));
    return all;
  };
  const auto inside = [](const Image& i, int x, int y) {
    for (int c = 0; c < 3; ++c) {
      if (!(i.at(x, y, c) > 0 && i.at(x, y, c) < 1)) return false;
    }
    return true;
  };
  for (const auto& [x, y] : {std::pair{10, 10}, {300, 400}, {700, 500}, {511, 3}}) {
    CAPTURE(x);
    if (inside(out, x, y)) CHECK(pixel(x, y) == screen(out, x, y));
  }
  // What is outside is tinted, unless the marks are off.
  CHECK(pixel(100, 50) != screen(out, 100, 50));
  // Side by side, the same pixel in the middle of both; wiped, the first at the left of the edge.
  browser.keys("w");
  browser.wait("document.querySelectorAll('.caption').length === 2");
  if (inside(in, 10, 10)) CHECK(pixel(10, 10) == screen(in, 10, 10));
  if (inside(out, 700, 500)) CHECK(pixel(700, 500) == screen(out, 700, 500));
  browser.pointer(left + 458, top + 300, true, left + 150, top + 300);
  browser.wait("Math.abs(parseFloat(document.querySelectorAll('.caption')[1].style.left) - 156) < 4");
  browser.keys("d");
  browser.wait("document.querySelector('.caption').textContent === 'after \xE2\x88\x92 before'");
  browser.keys("b");
  browser.wait("document.querySelector('.caption').textContent === 'before'");
  browser.wait("document.querySelector('.caption').textContent === 'after'");
  browser.keys("s");
  browser.wait("document.querySelectorAll('.caption').length === 2");
  browser.click("#do-single");
  // The probe, by the pointer and by keys alone.
  browser.pointer(ox + 99, oy + 50);
  browser.wait("document.getElementById('place')?.textContent === 'x 99, y 50'");
  browser.keys(test::key_right, {test::key_shift});
  browser.wait("document.getElementById('place').textContent === 'x 100, y 50'");
  for (int c = 0; c < 3; ++c) {
    const auto shown = [&](const std::string& key) {
      return std::stod(browser.text("[data-value='" + key + " " + std::to_string(c) + "']"));
    };
    CHECK(shown("p0") == doctest::Approx(in.at(100, 50, c)).epsilon(1e-5));
    CHECK(shown("p1") == doctest::Approx(out.at(100, 50, c)).epsilon(1e-5));
    CHECK(browser.text("[data-stored='p0 " + std::to_string(c) + "']") ==
          std::to_string(std::lround(in.at(100, 50, c) * 255)));
  }
  CHECK(std::stod(browser.text("[data-lightness=p0]").substr(2)) ==
        doctest::Approx(color_at(in, 100, 50).lightness).epsilon(1e-3));
  // Statistics of the whole, then of a rectangle.
  const auto figure = [&](const std::string& name) {
    return std::stod(browser.text("[data-figure='p1 " + name + "']"));
  };
  const auto hold = [&](const ConstView& part) {
    double sum = 0, n = 0, below = 0, above = 0;
    for (int c = 0; c < 3; ++c) {
      for (int y = 0; y < part.height(); ++y) {
        for (int x = 0; x < part.width(); ++x) {
          const double v = part.at(x, y, c);
          sum += v, ++n, below += v<0, above += v> 1;
        }
      }
    }
    CHECK(figure("mean") == doctest::Approx(sum / n).epsilon(2e-4));
    CHECK(figure("below 0") == below);
    CHECK(figure("above 1") == above);
    CHECK(figure("most") == doctest::Approx(sample_range(part).maximum).epsilon(1e-4));
  };
  hold(out);
  browser.keys("r");
  browser.pointer(ox + 90, oy + 40, true, ox + 129, oy + 59);
  browser.wait("document.getElementById('rectangle')?.textContent === '90,40,40,20'");
  hold(out.view().part({90, 40, 40, 20}));
  // The line: as many samples as it is long, and one; drawn by keys.
  browser.click("#do-line");
  browser.keys(test::key_enter);
  for (int i = 0; i < 3; ++i) browser.keys(test::key_right, {test::key_shift});
  browser.wait("document.querySelector('#panel-profile svg')");
  CHECK(browser.value("document.querySelectorAll('#panel-profile path.curve').length") == 2);
  // Sixteen pixels and more a sample: its number stands on it, and the zoom says so.
  for (int i = 0; i < 7; ++i) browser.keys("+");
  browser.wait("document.getElementById('zoom').textContent === '16:1'");
  browser.keys("0");
  browser.wait("document.getElementById('zoom').textContent === '1:1'");
  browser.wheel(ox + 100, oy + 100, -100);
  browser.wait("document.getElementById('zoom').textContent === '2:1'");
  const std::string twice =
      "document.getElementById('canvas').dispatchEvent(new MouseEvent('dblclick', { clientX: 600, clientY: 400, "
      "bubbles: true }))";
  browser.run(twice);
  browser.wait(
      "document.getElementById('zoom').textContent === '1:1' && document.getElementById('do-fit').ariaPressed === "
      "'true'");
  browser.run(twice);
  browser.wait(
      "document.getElementById('do-fit').ariaPressed === 'false' && document.getElementById('do-one').ariaPressed === "
      "'true'");
  // First and second change places; counts by logarithm; the marks off.
  browser.keys("x");
  browser.wait("document.querySelector('.caption').textContent === 'before'");
  browser.keys("x");
  browser.keys("o");
  browser.wait("document.getElementById('do-marks').ariaPressed === 'false'");
  browser.keys("0");
  browser.keys("q");
  browser.wait(
      "document.querySelector('.caption').textContent === 'after' && document.getElementById('do-fit').ariaPressed === "
      "'true'");
  CHECK(pixel(100, 50)[1] == 255);
  const std::string axis = browser.text("#panel-histogram svg");
  browser.keys("h");
  browser.wait("document.querySelector('#panel-histogram svg').textContent !== " + json(axis).dump());
  // Columns fold, the keys are listed, light becomes dark.
  browser.keys("[");
  browser.keys("]");
  browser.wait("document.getElementById('stage').clientWidth === 1280");
  browser.keys("?");
  CHECK(browser.value("document.querySelectorAll('#help kbd').length > 25") == true);
  browser.keys(test::key_escape);
  CHECK(browser.value("document.getElementById('help').hidden") == true);
}

TEST_CASE("the spectrum of a page is the library's, for sizes with small and large factors") {
  if (!Browser::there()) return;
  const Folder f;
  Browser browser(true);
  for (const auto& [width, height] : {std::pair{60, 32}, {49, 37}, {1, 9}, {131, 2}, {64, 1}}) {
    CAPTURE(width);
    const Image in = test::noise(width, height, 3);
    page::Page p("spectrum");
    p.add({"in", in, Role::input});
    browser.open(written(f, "spectrum.html", p));
    browser.wait("performance.getEntriesByName('first-picture').length");
    browser.keys("f");
    browser.wait("document.querySelector('.caption').textContent === 'spectrum of in'");
    const std::vector<float> there = browser.promised(
        "(await import('page/model')).pictures.get('spectrum of p0').samples.data.reduce((a, v) => (a.push(v), a), "
        "[])");
    const Image expected = spectrum_image(spectrum(in, Taper::periodic));
    REQUIRE(there.size() == expected.shape().samples());
    double off = 0;
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x)
        off = std::max(off, std::abs(static_cast<double>(there[static_cast<std::size_t>(y * width + x)]) -
                                     static_cast<double>(expected.at(x, y))));
    }
    CHECK(off < 1e-4);
  }
}

TEST_CASE("every text has contrast, in light and dark, on a small screen too") {
  if (!Browser::there()) return;
  const Folder f;
  page::Page p("contrast");
  p.add({"before", test::noise(64, 48, 3), Role::input});
  p.add({"after", test::noise(64, 48, 3, 2), Role::result});
  p.add(page::Table{"table", {"name", "figure"}, {{"a", "1"}, {"b", "2"}}, {0, 1}, 0});
  p.add("lines", {"words"});
  p.add(page::Plot{"curve", {{"one", {0, 1, 2}, {1, 3, 2}, 1}, {"two", {0, 1, 2}, {2, 1, 4}}}, "x", "y"});
  // The ratio of WCAG 2 for every piece of text against what is painted behind it; the worst with its words.
  const std::string worst = R"((() => {
    const parts = c => (c.match(/[\d.]+/g) || []).map(Number);
    const linear = v => (v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
    const light = c => 0.2126 * linear(c[0]) + 0.7152 * linear(c[1]) + 0.0722 * linear(c[2]);
    const over = (top, under) => { const a = top[3] ?? 1; return [0, 1, 2].map(i => top[i] * a + under[i] * (1 - a)); };
    let least = [99, ''];
    const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    for (let n; (n = walk.nextNode());) {
      const e = n.parentElement;
      if (!n.textContent.trim() || e.closest('script, [hidden], option') || !e.getClientRects().length) continue;
      const layers = [];
      for (let u = e; u; u = u.parentElement) layers.push(parts(getComputedStyle(u).backgroundColor));
      let behind = [255, 255, 255];
      for (const l of layers.reverse()) if (l.length) behind = over(l, behind);
      const style = getComputedStyle(e), ink = over(parts(e instanceof SVGElement ? style.fill : style.color), behind);
      const [a, b] = [light(ink), light(behind)].sort((x, y) => y - x), ratio = (a + 0.05) / (b + 0.05);
      if (ratio < least[0]) least = [ratio, n.textContent];
    }
    return least;
  })())";
  for (const auto& [width, height] : {std::pair{1280, 800}, {1024, 640}}) {
    Browser browser(false, width, height);
    browser.open(written(f, "contrast.html", p));
    browser.wait("document.querySelector('#panel-extra svg') && document.querySelector('#panel-statistics td')");
    browser.pointer(width / 2, height / 2);
    browser.wait("document.querySelector('[data-value]')");
    browser.keys("?");
    for (int theme = 0; theme < 2; ++theme) {
      const json least = browser.value(worst);
      CAPTURE(least.dump());
      CHECK(least[0].get<double>() >= 4.5);
      // Nothing is cut off at the side.
      CHECK(browser.value("[...document.querySelectorAll('#top button')].every(b => b.getBoundingClientRect().right <= "
                          "innerWidth)") == true);
      const std::string before = browser.value("getComputedStyle(document.body).backgroundColor");
      browser.keys("n");
      browser.wait("getComputedStyle(document.body).backgroundColor !== " + json(before).dump());
    }
  }
}

TEST_CASE("pages of the tool: a sweep with its slider, a lineup with its table, and all others") {
  if (!Browser::there()) return;
  const Folder f;
  const std::string in = test::data + "/night.png", clean = test::data + "/noon.png", noisy = f / "noisy.png";
  REQUIRE(test::lsieve("apply " + clean + " " + noisy + " shrink factor=4 then gaussian_noise deviation=0.1").code ==
          0);
  REQUIRE(test::lsieve("apply " + clean + " " + (f / "small.png") + " shrink factor=4").code == 0);
  Browser browser;
  const auto swept = test::lsieve("sweep " + noisy + " --truth " + (f / "small.png") +
                                  " gaussian sigma=0.4..2:5 --json --page " + (f / "sweep.html"));
  REQUIRE(swept.code == 0);
  browser.open(address(f / "sweep.html"));
  const json runs = json::parse(swept.out)["runs"];
  std::size_t best = 0;
  for (std::size_t i = 0; i < runs.size(); ++i) {
    if (runs[i]["best"] == true) best = i;
  }
  browser.wait("document.querySelector('#run-0')?.value === '" + std::to_string(best) + "'");
  for (std::size_t i = 0; i < runs.size(); ++i) {
    browser.set("#run-0", std::to_string(i));
    char psnr[32];
    std::snprintf(psnr, sizeof psnr, "PSNR %.2f dB", runs[i]["psnr"].get<double>());
    browser.wait("document.getElementById('figures').textContent.startsWith('" + std::string(psnr) + "')");
  }
  browser.click("#best");
  browser.wait("document.querySelector('#run-0').value === '" + std::to_string(best) + "'");
  browser.keys("j");
  browser.wait("document.querySelector('#run-0').value === '" + std::to_string(best - 1) + "'");

  REQUIRE(test::lsieve("lineup " + noisy + " --truth " + (f / "small.png") +
                       " median or gaussian sigma=3 or gaussian --page " + (f / "lineup.html"))
              .code == 0);
  browser.open(address(f / "lineup.html"));
  const auto column = [&](int k) {
    return browser
        .value("[...document.querySelectorAll('.table tbody tr')].map(r => parseFloat(r.children[" + std::to_string(k) +
               "].textContent))")
        .get<std::vector<double>>();
  };
  REQUIRE(column(1).size() == 3);
  browser.click(".table th:nth-child(2) button");
  const std::vector<double> rising = column(1);
  CHECK(std::is_sorted(rising.begin(), rising.end()));
  browser.click(".table th:nth-child(2) button");
  const std::vector<double> falling = column(1);
  CHECK(std::is_sorted(falling.rbegin(), falling.rend()));
  CHECK(browser.value("document.querySelector('.table tbody tr').className") == "best");
  browser.click(".table tbody tr:last-child button");
  browser.wait(
      "document.querySelector('.caption').textContent === document.querySelector('.table tbody tr:last-child "
      "button').textContent");

  // Over two parameters: two sliders, and a map of the figure whose cells can be chosen.
  REQUIRE(test::lsieve("sweep " + noisy + " --truth " + (f / "small.png") +
                       " 'unsharp sigma=1|2|3 amount=0.2|0.4' --page " + (f / "map.html"))
              .code == 2);
  REQUIRE(test::lsieve("sweep " + noisy + " --truth " + (f / "small.png") +
                       " unsharp 'sigma=1|2|3' 'amount=0.2|0.4' --page " + (f / "map.html"))
              .code == 0);
  browser.open(address(f / "map.html"));
  browser.click("[data-run='4']");
  browser.wait("document.querySelector('.caption').textContent === 'sigma=2 amount=0.4'");
  CHECK(browser.value("[document.querySelector('#run-0').value, document.querySelector('#run-1').value]") ==
        json{"1", "1"});

  const std::string small = f / "small.png";
  for (const std::string& command : std::vector<std::string>{
           "look " + small + " --spectrum --singular --cosine 8 --wavelet 9/7",
           "apply " + noisy + " " + (f / "o.png") + " subtract with=" + small + " then wiener psf=disk:radius=2",
           "judge " + noisy + " --truth " + small, "levels " + small, "rate " + small + " --by cosine",
           "psf disk:radius=3 gaussian:sigma=1", "advise " + noisy}) {
    CAPTURE(command);
    REQUIRE(test::lsieve(command + " --page " + (f / "one.html")).code == 0);
    CHECK(std::filesystem::file_size(f / "one.html") < 20'000'000);
    browser.open(address(f / "one.html"));
    browser.wait("performance.getEntriesByName('first-picture').length");
    CHECK(browser.text("#line").find("Error") == std::string::npos);
    const auto wrong = test::lsieve(command + " --page " + (f / "one.png"));
    CHECK(wrong.code == 2);
    CHECK(wrong.err.find("ends in .html") != std::string::npos);
  }
}
