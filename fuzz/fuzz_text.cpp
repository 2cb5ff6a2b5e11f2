// Texts that people write, and those that files carry: chains, kernels, recipes, records, curves, windows and
// distributions, by the first byte. A chain that is read must say itself again, and all else too.

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "sieve/sieve.hpp"

namespace {

using namespace sieve;

void require(bool holds) {
  if (!holds) std::abort();
}

void check(const Chain& chain, const Resources& files) {
  const std::string text = chain.text(true);
  const Catalogue& all = Catalogue::standard();
  require(Chain::parse(text, all, files).text(true) == text);
  require(Chain::parse(recipe_words(recipe_text(chain), "fuzz.toml"), all, files).text(true) == text);
  require(Chain::parse(chain_text_of_record(record_of(chain)), all, files).text(true) == text);
  const auto reach = chain.reach();
  require(!reach || *reach >= 0);
  require(chain.with_noise(0.1).takes_noise() == chain.takes_noise());
}

void check(const Kernel& kernel, const Resources& files) {
  const Kernel again = Kernel::parse(kernel.text(), files);
  require(again.taps() == kernel.taps() && again.width() == kernel.width());
  require(again.anchor_x() == kernel.anchor_x() && again.anchor_y() == kernel.anchor_y());
}

void check(const CurvePoints& curve) {
  require(CurvePoints::parse(curve.text()).text() == curve.text());
  for (const CurvePoints::Knot& k : curve.knots())
    require(std::abs(curve(k.level) - k.becomes) <= 1e-6 * (1 + std::abs(k.becomes)));
  for (const double level : {-1.0, 0.0, 0.3, 1.0, 2.0}) require(!std::isnan(curve(level)));
}

void check(const Footprint& window) {
  require(Footprint::parse(window.text()).rows() == window.rows());
  std::size_t held = 0;
  for (const auto& row : window.rows()) {
    for (const int v : row) held += v != 0 ? 1 : 0;
  }
  if (!window.empty()) require(window_offsets("fuzz", WindowShape::square, 1, window).size() == held);
}

void check(const LevelDistribution& levels) {
  require(LevelDistribution::parse(levels.text()).text() == levels.text());
  double before = 0;
  for (int i = 0; i <= 16; ++i) {
    const double level = levels.quantile(i / 16.0);
    require(level >= before && level <= 1);
    before = level;
  }
}

void read(unsigned kind, const std::string& text) {
  // The file that a first line names holds the lines that follow.
  const std::size_t end = text.find('\n');
  const std::string value = text.starts_with('@') ? text.substr(0, end) : text;
  const Resources files{[](const std::string&) { return Image(3, 3); },
                        [&](const std::string&) { return end < text.size() ? text.substr(end + 1) : ""; }};
  const Catalogue& all = Catalogue::standard();
  switch (kind) {
    case 0:
      return check(Chain::parse(value, all, files), files);
    case 1:
      return check(Kernel::parse(value, files), files);
    case 2:
      return check(Chain::parse(recipe_words(text, "fuzz.toml"), all, files), files);
    case 3:
      return check(Chain::parse(chain_text_of_record(text), all, files), files);
    case 4:
      return check(CurvePoints::parse(text));
    case 5:
      return check(TextValue<Footprint>::parse(value, files));
    case 6:
      return check(TextValue<LevelDistribution>::parse(value, files));
    default:
      return check(Chain::parse("notch points=" + text), files);
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  try {
    read(data[0] % 8, std::string(reinterpret_cast<const char*>(data + 1), size - 1));
  } catch (const Error&) {
    // What is not understood is refused.
  }
  return 0;
}
