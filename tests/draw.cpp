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
      n += std::abs(page.at(x, y, 0) - r) < 0.02F && std::abs(page.at(x, y, 1) - g) < 0.02F && std::abs(page.at(x, y, 2) - b) < 0.02F;
    }
  }
  return static_cast<double>(n) / static_cast<double>(page.shape().pixels());
}

}  // namespace

TEST_CASE("a sheet is 1280x800, shows its pictures, and grows for many") {
  Image gray(60, 40);
  for (int y = 0; y < 40; ++y) std::fill_n(gray.row(y), 60, 0.5F);
  draw::Sheet sheet("title", "subtitle");
  sheet.add(draw::picture_cell("flat", gray));
  const Image page = drawn(sheet);
  CHECK(page.width() == 1280);
  CHECK(page.height() == 800);
  CHECK(share(page, 0.5F, 0.5F, 0.5F) > 0.05);
  for (int i = 0; i < 60; ++i) sheet.add(draw::picture_cell("flat", gray));
  CHECK(drawn(sheet).height() > 800);
  CHECK_NOTHROW(drawn(draw::Sheet("empty")));
}

TEST_CASE("samples outside 0..1 are tinted and said, not hidden") {
  Image split(60, 40);
  for (int y = 0; y < 40; ++y) {
    std::fill_n(split.row(y), 30, -2.0F);
    std::fill_n(split.row(y) + 30, 30, 3.0F);
  }
  const draw::Cell cell = draw::picture_cell("out of range", split);
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
