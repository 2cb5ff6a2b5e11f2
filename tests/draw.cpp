#include "support.hpp"

#include "sieve/draw.hpp"
#include "sieve/io.hpp"

using namespace sieve;

namespace {

Image drawn(const draw::Sheet& sheet) {
  const auto bytes = sheet.png();
  return io::decode(bytes.data(), bytes.size(), "sheet.png").image;
}

// Share of pixels whose color is near the given one.
double share(const Image& page, float r, float g, float b) {
  int n = 0;
  for (int y = 0; y < page.height(); ++y) {
    for (int x = 0; x < page.width(); ++x) {
      n += std::abs(page.at(x, y, 0) - r) < 0.02F && std::abs(page.at(x, y, 1) - g) < 0.02F &&
           std::abs(page.at(x, y, 2) - b) < 0.02F;
    }
  }
  return static_cast<double>(n) / static_cast<double>(page.shape().pixels());
}

}  // namespace

TEST_CASE("a sheet is 1280 wide, its pictures fill it, and it grows for many") {
  Image gray(1200, 800);
  gray.fill(0.5F);
  draw::Sheet sheet("title", "subtitle");
  sheet.add(draw::picture_cell("flat", gray));
  const Image page = drawn(sheet);
  CHECK(page.width() == 1280);
  CHECK(page.height() == 800);
  CHECK(share(page, 0.5F, 0.5F, 0.5F) > 0.3);
  for (int i = 1; i < 60; ++i) {
    sheet.add(draw::picture_cell("flat", gray));
    if (i > 2 && i != 8 && i != 18 && i != 59) continue;
    // Pictures fill their columns (in whole steps of their pixels), on a page that is no higher than it must be.
    CAPTURE(i);
    const Image many = drawn(sheet);
    CHECK(many.width() == 1280);
    CHECK(many.height() < (i < 9 ? 1320 : 200 + 400 * (i / 4 + 1)));
    CHECK(share(many, 0.5F, 0.5F, 0.5F) > 0.25);
  }
  CHECK_NOTHROW(drawn(draw::Sheet("empty")));
}

TEST_CASE("logarithmic axes have places for what is above 0, and a level curve stands in the middle") {
  const auto panel = [](std::vector<double> y, draw::LogAxes logs) {
    draw::Sheet sheet("curve");
    sheet.add({"", draw::curves({{"", {1, 10, 100, 1000}, std::move(y)}}, "x", "y", logs), "", nullptr});
    return drawn(sheet);
  };
  const auto ink_at = [](const Image& page, double share_of_width) {
    const int x = 60 + static_cast<int>(share_of_width * 1200);
    for (int y = 100; y < page.height() - 60; ++y) {
      if (page.at(x, y, 2) > page.at(x, y, 0) + 0.15F) return y;
    }
    return -1;
  };
  // By logarithms a power is a straight line.
  const Image straight = panel({2, 20, 200, 2000}, {.x = true, .y = true});
  CHECK(ink_at(straight, 0.2) > ink_at(straight, 0.5) + 60);
  CHECK(std::abs(ink_at(straight, 0.2) + ink_at(straight, 0.8) - 2 * ink_at(straight, 0.5)) <= 4);
  const int level = ink_at(panel({0.02, 0.02, 0.02, 0.02}, {}), 0.5);
  CHECK(level > 300);
  CHECK(level < 550);
  CHECK_NOTHROW(panel({0, -1, 0, -3}, {.x = true, .y = true}));
}

TEST_CASE("samples outside 0..1 are tinted and said, not hidden") {
  Image split(60, 40);
  for (int y = 0; y < 40; ++y) {
    std::fill_n(split.row(y), 30, -2.0F);
    std::fill_n(split.row(y) + 30, 30, 3.0F);
  }
  const draw::SheetCell cell = draw::picture_cell("out of range", split);
  CHECK(cell.note.find("below 0 (blue): 50 %") != std::string::npos);
  CHECK(cell.note.find("above 1 (orange): 50 %") != std::string::npos);
  draw::Sheet sheet("t");
  sheet.add(cell);
  const Image page = drawn(sheet);
  CHECK(share(page, 0.10F, 0.32F, 0.66F) > 0.05);
  CHECK(share(page, 0.90F, 0.49F, 0.07F) > 0.05);
}

TEST_CASE("odd panels are drawn: one pixel, NaN, empty curves, deep levels") {
  Image one(1, 1);
  one.at(0, 0) = std::nanf("");
  draw::Sheet sheet("odd");
  sheet.add(draw::picture_cell("NaN", one));
  sheet.add(draw::picture_cell("thin", Image(2000, 1, 4)));
  sheet.add(draw::picture_cell("deep", Image(Shape{30, 30, 1}, 65535)));
  sheet.add({"curves", draw::curves({{"one", {1}, {2}}, {"none", {}, {}}}, "x", "y"), "", nullptr});
  sheet.add({"heat", draw::heat(2, 1, {0, 0}), "", draw::text({"words"})});
  CHECK_NOTHROW(drawn(sheet));
}

namespace {

// The one panel of a sheet, drawn large.
Image alone(draw::SheetPanelPtr panel) {
  draw::Sheet sheet("t");
  sheet.add({"", std::move(panel), "", nullptr});
  return drawn(sheet);
}

}  // namespace

TEST_CASE("signed pictures: blue below, orange above, pale at nought, the scale to its 99.5th percentile") {
  Image steps(90, 60);
  for (int y = 0; y < 60; ++y) {
    std::fill_n(steps.row(y), 30, -0.2F);
    std::fill_n(steps.row(y) + 60, 30, 0.2F);
  }
  steps.at(45, 30) = 50;  // one wild sample does not make the rest pale
  const Image page = alone(draw::signed_picture(steps));
  CHECK(share(page, 0.10F, 0.32F, 0.66F) > 0.1);
  CHECK(share(page, 0.90F, 0.49F, 0.07F) > 0.1);
  CHECK(share(page, 0.97F, 0.97F, 0.96F) > 0.1);
  CHECK_NOTHROW(alone(draw::signed_picture(Image(5, 5))));
  Image bad(5, 5);
  bad.at(2, 2) = std::nanf("");
  CHECK_NOTHROW(alone(draw::signed_picture(bad)));
}

TEST_CASE("curves stand where their values are") {
  // A flat curve low, another high: their colors lie in the lower and the upper half of the plot.
  const Image page = alone(draw::curves({{"low", {0, 1, 2}, {2, 2, 2}}, {"high", {0, 1, 2}, {8, 8, 8}}}, "x", "y"));
  // The first curve is the bluer one, the second the one that is more red than blue; the axes are gray.
  const auto mean_row = [&](float sign) {
    double sum = 0, n = 0;
    for (int y = 90; y < page.height(); ++y) {
      for (int x = 100; x < 900; ++x) {
        if (sign * (page.at(x, y, 2) - page.at(x, y, 0)) > 0.12F) {
          sum += y;
          ++n;
        }
      }
    }
    return n > 100 ? sum / n : -1;
  };
  const double low = mean_row(1), high = mean_row(-1);
  CHECK(low > 450);
  CHECK(high > 0);
  CHECK(high < low - 200);
}

TEST_CASE("maps: light is low, dark is high, the best is framed") {
  const Image page = alone(draw::map({"1", "2"}, {"a"}, {1, 5}, 1, "x", "y"));
  CHECK(share(page, 0.95F, 0.95F, 0.93F) > 0.1);
  CHECK(share(page, 0.10F, 0.28F, 0.42F) > 0.1);
  CHECK(share(page, 0.90F, 0.49F, 0.07F) > 0.001);
  const Image missing = alone(draw::map({"1", "2"}, {"a"}, {std::nan(""), 5}, -1, "x", "y"));
  CHECK(share(missing, 0.84F, 0.84F, 0.82F) > 0.1);
}

TEST_CASE("histograms: bars where the samples are, on the levels of the source") {
  // Half of the samples at level 3 of 7, half at 7: two bars and nothing in the rest.
  Image three(Shape{64, 64, 1}, 7);
  for (int y = 0; y < 64; ++y) std::fill_n(three.row(y), 64, y < 32 ? 3 / 7.0F : 1.0F);
  const Image page = alone(draw::histogram(three));
  const int middle = 500;
  std::vector<bool> filled;
  for (int bin = 0; bin < 8; ++bin) {
    const int x = 20 + 44 + static_cast<int>((1240 - 54) * (bin + 0.5) / 8);
    filled.push_back(page.at(x, middle, 2) - page.at(x, middle, 0) > 0.05F);
  }
  CHECK(filled == std::vector<bool>{false, false, false, true, false, false, false, true});
}

TEST_CASE("details are enlarged in whole steps, in the place that was asked for") {
  Image in(100, 100);
  in.at(40, 50) = 1;
  const Image page = alone(draw::detail(in, {40, 50, 4, 4}));
  // One white pixel of sixteen, enlarged: an upright square, exactly.
  int left = 10000, right = -1, top = 10000, bottom = -1, n = 0;
  for (int y = 90; y < page.height(); ++y) {
    for (int x = 0; x < page.width(); ++x) {
      if (page.at(x, y, 0) == 1 && page.at(x, y, 1) == 1 && page.at(x, y, 2) == 1) {
        left = std::min(left, x);
        right = std::max(right, x);
        top = std::min(top, y);
        bottom = std::max(bottom, y);
        ++n;
      }
    }
  }
  REQUIRE(right > left);
  CHECK(right - left == bottom - top);
  CHECK(n == (right - left + 1) * (bottom - top + 1));
}

TEST_CASE(
    "histograms call out what is clipped, and draw cumulative curves, peaks and valleys; odd pictures are no trouble") {
  Image in(64, 64);
  for (int i = 0; i < 4096; ++i) in.at(i % 64, i / 64) = i % 4 == 0 ? 0.0F : i % 4 == 1 ? 0.25F : 0.75F;
  const auto shown = [](draw::SheetPanelPtr panel) {
    draw::Sheet sheet("t");
    sheet.add({"c", std::move(panel), "", nullptr});
    return drawn(sheet);
  };
  const Image plain = shown(draw::histogram(in)), marked = shown(draw::histogram(in, true));
  CHECK(compare(plain, marked).mse > 0);
  CHECK(compare(shown(draw::histogram(in)), shown(draw::histogram(map_samples(in, [](float v) { return v + 0.01F; }))))
            .mse > 0);
  const Image broken = map_samples(in, [](float) { return std::nanf(""); }), one(1, 1);
  for (const Image* odd : {static_cast<const Image*>(&broken), &one}) {
    CHECK_NOTHROW(shown(draw::histogram(*odd, true)));
    CHECK_NOTHROW(shown(draw::cumulatives({{"a", *odd}, {"b", in}})));
    CHECK_NOTHROW(shown(draw::histograms({{"a", *odd}, {"b", in}})));
  }
}

namespace {

// The middle of the pixels in which two pages differ, of those right of `from` alone.
std::pair<double, double> changed(const Image& a, const Image& b, double from = 0) {
  double x = 0, y = 0, n = 0;
  for (int j = 0; j < a.height(); ++j) {
    for (int i = static_cast<int>(std::ceil(from)); i < a.width(); ++i) {
      const double d = std::abs(static_cast<double>(a.at(i, j, 1)) - static_cast<double>(b.at(i, j, 1)));
      x += d * i, y += d * j, n += d;
    }
  }
  return {x / n, y / n};
}

}  // namespace

TEST_CASE("a frequency plane: zero in the middle, a mark and its mirror where they are said") {
  const auto page = [](const Image& gain, std::vector<std::pair<double, double>> marks) {
    draw::Sheet sheet("t");
    sheet.add({"gain", draw::frequency_plane(gain, std::move(marks)), "", nullptr});
    return drawn(sheet);
  };
  Image gain(65, 65), middle = gain;
  middle.at(32, 32) = 1;
  const Image empty = page(gain, {});
  const auto [cx, cy] = changed(empty, page(middle, {}));
  const Image marked = page(gain, {{0.25, 0.125}});
  const auto [mx, my] = changed(empty, marked);
  CHECK(mx == doctest::Approx(cx).epsilon(0.01));
  CHECK(my == doctest::Approx(cy).epsilon(0.01));
  // Half of the frequency, half of the way.
  const auto [fx, fy] = changed(empty, marked, cx);
  const auto [hx, hy] = changed(empty, page(gain, {{0.125, 0.0625}}), cx);
  CHECK(fx - cx > 40);
  CHECK(fx - cx == doctest::Approx(2 * (hx - cx)).epsilon(0.05));
  CHECK(fy - cy == doctest::Approx(2 * (hy - cy)).epsilon(0.1));
  CHECK(std::abs(fx - cx) == doctest::Approx(2 * std::abs(fy - cy)).epsilon(0.1));
}
