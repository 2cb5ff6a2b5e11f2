#include "sieve/lowrank.hpp"

#include <nlohmann/json.hpp>
#include <numbers>

#include "sieve/io.hpp"
#include "sieve/reference.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::deviation;
using test::noise;

namespace {

const Image& gray_noon() {
  static const Image image = to_gray(test::noon());
  return image;
}

// Columns of one of the factors: how far their products are from those of orthonormal ones.
double off_orthonormal(const std::vector<float>& columns, int length, int rank) {
  double worst = 0;
  for (int a = 0; a < rank; ++a) {
    for (int b = 0; b <= a; ++b) {
      double sum = 0;
      for (int i = 0; i < length; ++i)
        sum += static_cast<double>(columns[static_cast<std::size_t>(a * length + i)]) *
               static_cast<double>(columns[static_cast<std::size_t>(b * length + i)]);
      worst = std::max(worst, std::abs(sum - (a == b ? 1 : 0)));
    }
  }
  return worst;
}

// Largest singular value of a difference, by power iterations.
double spectral(const Image& a, const Image& b) {
  return svd(map_pairs(a, b, [](float p, float q) { return p - q; }), 1, SvdMethod::randomized).values[0];
}

}  // namespace

TEST_CASE("singular values: known ones, orthonormal factors, the picture back") {
  // diag(3, 2) between two turns, and a zero.
  Image known(3, 3);
  known.at(0, 0) = 3;
  known.at(2, 1) = -2;
  const Svd k = svd(known);
  CHECK(k.values[0] == doctest::Approx(3));
  CHECK(k.values[1] == doctest::Approx(2));
  CHECK(std::abs(k.values[2]) < 1e-6);
  // The Hilbert matrix of order 4.
  Image hilbert(4, 4);
  for (int y = 0; y < 4; ++y) {
    for (int x = 0; x < 4; ++x) hilbert.at(x, y) = 1.0F / static_cast<float>(x + y + 1);
  }
  const Svd h = svd(hilbert);
  for (const auto& [i, v] :
       {std::pair<std::size_t, double>{0, 1.5002142801}, {1, 0.1691412202}, {2, 0.0067382736}, {3, 0.0000967023}})
    CHECK(std::abs(h.values[i] - v) < 1e-7);
  for (const auto& [w, ht] : {std::pair{40, 25}, std::pair{25, 40}, std::pair{1, 9}, std::pair{1, 1}}) {
    const Image in = noise(w, ht);
    const Svd s = svd(in);
    CHECK(off_orthonormal(s.left, ht, s.rank) < 1e-5);
    CHECK(off_orthonormal(s.right, w, s.rank) < 1e-5);
    CHECK(deviation(picture_of(s, s.rank), in) < 1e-5);
    double squares = 0, samples = 0;
    for (const double v : s.values) squares += v * v;
    for (int y = 0; y < ht; ++y) {
      for (int x = 0; x < w; ++x) samples += static_cast<double>(in.at(x, y)) * static_cast<double>(in.at(x, y));
    }
    CHECK(squares == doctest::Approx(samples).epsilon(1e-5));
    CHECK(std::is_sorted(s.values.rbegin(), s.values.rend()));
  }
  CHECK_THROWS_AS(svd(Image(4, 4, 3)), InvalidArgument);
  CHECK_THROWS_AS(svd(Image(4, 3), 4), InvalidArgument);
  Image broken(4, 4);
  broken.at(1, 1) = std::nanf("");
  CHECK_THROWS_AS(svd(broken), InvalidArgument);
  CHECK_THROWS_AS(picture_of(k, 4), InvalidArgument);
}

TEST_CASE("large matrices: values that were put in, alike ones, none; orthonormal vectors for all of them") {
  // Products of cosines, which are orthonormal, with falling values, fifty alike, and nothing for the rest.
  constexpr int kWide = 330, kHigh = 250, kValues = 180;
  const auto basis = [](int i, int k, int n) {
    return std::sqrt((k == 0 ? 1.0 : 2.0) / n) * std::cos(std::numbers::pi * (i + 0.5) * k / n);
  };
  const auto value = [](int k) { return k < 80 ? 100 * std::pow(0.9, k) : k < 130 ? 0.02 : 0.01 * std::pow(0.97, k); };
  Image in(kWide, kHigh);
  for (int y = 0; y < kHigh; ++y) {
    for (int x = 0; x < kWide; ++x) {
      double sum = 0;
      for (int k = 0; k < kValues; ++k) sum += value(k) * basis(y, (k * 7) % kHigh, kHigh) * basis(x, k, kWide);
      in.at(x, y) = static_cast<float>(sum);
    }
  }
  Image turned(kHigh, kWide);
  for (int y = 0; y < kHigh; ++y) {
    for (int x = 0; x < kWide; ++x) turned.at(y, x) = in.at(x, y);
  }
  for (const Image& picture : {in, turned}) {
    const Svd s = svd(picture);
    // The samples are rounded to floats: nothing is known of what is smaller.
    constexpr double kRounding = 2e-5;
    for (int k = 0; k < s.rank; ++k)
      CHECK(std::abs(s.values[static_cast<std::size_t>(k)] - (k < kValues ? value(k) : 0)) < kRounding);
    CHECK(off_orthonormal(s.left, picture.height(), s.rank) < 2e-6);
    CHECK(off_orthonormal(s.right, picture.width(), s.rank) < 2e-6);
    CHECK(deviation(picture_of(s, s.rank), picture) < 1e-5);
    const RankShares r = rank_shares(picture);
    for (int k = 0; k < kValues; ++k) CHECK(std::abs(r.values[static_cast<std::size_t>(k)] - value(k)) < kRounding);
    const Principal p = principal_rows(picture);
    CHECK(off_orthonormal(p.axes, p.length, p.components) < 2e-6);
    CHECK(deviation(picture_of_rows(p, picture.shape(), p.components), picture) < 1e-5);
  }
  const Svd none = svd(Image(300, 200));
  CHECK(none.values[0] == 0);
  CHECK(off_orthonormal(none.left, 200, none.rank) < 2e-6);
}

TEST_CASE("few samples that repeat: principal axes stay orthonormal, and all of them are the picture again") {
  for (int w = 1; w <= 5; ++w) {
    for (int h = 1; h <= 24; ++h) {
      const Image grain = noise(w, h, 3, static_cast<std::uint64_t>(w * h));
      for (const Image& in : {grain, map_samples(grain, [](float v) { return std::round(7 * v) / 7; })}) {
        CAPTURE(w);
        CAPTURE(h);
        for (const int side : {2, 3}) {
          const Principal p = principal_patches(in, side);
          CHECK(off_orthonormal(p.axes, p.length, p.components) < 2e-6);
          CHECK(deviation(picture_of_patches(p, in.shape(), side, p.components), in) < 2e-6);
        }
        const Principal rows = principal_rows(in);
        CHECK(off_orthonormal(rows.axes, rows.length, rows.components) < 2e-6);
        CHECK(deviation(picture_of_rows(rows, in.shape(), rows.components), in) < 2e-6);
      }
    }
  }
}

TEST_CASE("the randomized decomposition is near the best possible, and keeps its bound") {
  for (const int rank : {5, 20, 60}) {
    CAPTURE(rank);
    const Svd exact = svd(gray_noon(), rank + 1, SvdMethod::exact),
              quick = svd(gray_noon(), rank, SvdMethod::randomized);
    const double best = exact.values[static_cast<std::size_t>(rank)],
                 reached = spectral(gray_noon(), picture_of(quick, rank));
    CHECK(reached < 1.02 * best);
    const double side = std::min(gray_noon().width(), gray_noon().height());
    CHECK(reached <
          best * std::pow(1 + std::sqrt(rank / 9.0) + std::exp(1.0) * std::sqrt(rank + 10.0) / 10 * std::sqrt(side),
                          1.0 / 7));
    for (std::size_t i = 0; i < 5; ++i) CHECK(quick.values[i] == doctest::Approx(exact.values[i]).epsilon(1e-4));
    CHECK(off_orthonormal(quick.left, gray_noon().height(), rank) < 1e-4);
    // Of all pictures of that rank none is nearer (Eckart and Young): the error is what was left out.
    double rest = 0;
    const Svd all = svd(gray_noon(), 0, SvdMethod::exact);
    for (std::size_t i = static_cast<std::size_t>(rank); i < all.values.size(); ++i)
      rest += all.values[i] * all.values[i];
    CHECK(compare(picture_of(all, rank), gray_noon()).mse ==
          doctest::Approx(rest / static_cast<double>(gray_noon().shape().pixels())).epsilon(1e-3));
    CHECK(compare(picture_of(quick, rank), gray_noon()).mse <
          1.02 * rest / static_cast<double>(gray_noon().shape().pixels()));
  }
  const RankShares r = rank_shares(gray_noon());
  CHECK(r.rank_for(0.9, true) < r.rank_for(0.9, false));
  CHECK(r.rank_for(1, false) <= static_cast<int>(r.values.size()));
  CHECK(r.sums.back() == doctest::Approx(1));
  CHECK(r.energy[static_cast<std::size_t>(r.rank_for(0.99, true)) - 1] >= 0.99);
}

TEST_CASE(
    "low rank and principal components: fast and plain agree, whole ranks keep all, alpha and lost samples stay") {
  for (const auto& [w, h, channels] : {std::tuple{20, 15, 1}, {13, 21, 3}, {9, 8, 4}, {1, 7, 1}, {1, 1, 1}}) {
    CAPTURE(w);
    Image in = noise(w, h, channels);
    for (const char* text : {"low_rank rank=3", "low_rank rank=2 color=wide", "low_rank rank=5 color=luma",
                             "low_rank rank=2 method=randomized", "principal_components components=4",
                             "principal_components of=rows components=3", "principal_components share=0.8 side=4"}) {
      CAPTURE(std::string(text));
      const Chain f = Chain::parse(text);
      // Noise has values near each other, which a sketch does not tell apart.
      CHECK(deviation(f(in), reference::plain(f.steps()[0], in)) <
            (std::string(text).find("randomized") != std::string::npos ? 0.4 : 1e-4));
    }
    for (const char* text : {"low_rank rank=65536", "low_rank rank=65536 color=wide", "low_rank rank=65536 color=luma",
                             "principal_components components=65536", "principal_components of=rows share=1"}) {
      CAPTURE(std::string(text));
      CHECK(deviation(Chain::parse(text)(in), in) < 1e-4);
    }
    if (w > 2) {
      in.at(2, 3) = std::nanf("");
      const Image out = LowRank{.rank = 2}(in);
      CHECK(std::isnan(out.at(2, 3)));
      CHECK(std::isfinite(out.at(1, 3)));
      if (channels == 4) CHECK(out.at(5, 5, 3) == in.at(5, 5, 3));
    }
  }
  const Principal p = principal_patches(gray_noon(), 8);
  CHECK(off_orthonormal(p.axes, p.length, p.components) < 1e-4);
  CHECK(p.energy(p.components) == doctest::Approx(1));
  CHECK(std::is_sorted(p.variance.rbegin(), p.variance.rend()));
  // The error is the variance that was left out.
  CHECK(compare(picture_of_patches(p, gray_noon().shape(), 8, 10), gray_noon()).mse ==
        doctest::Approx((1 - p.energy(10)) * p.total / p.length).epsilon(1e-3));
  CHECK_THROWS_AS(principal_patches(gray_noon(), 1), InvalidArgument);
  CHECK_THROWS_AS(principal_rows(noise(5, 4), 6), InvalidArgument);
  CHECK_THROWS_AS(picture_of_rows(p, gray_noon().shape(), 3), InvalidArgument);
  CHECK_THROWS_WITH_AS(picture_of_patches(p, gray_noon().shape(), 8, 65), doctest::Contains("1 to 64"),
                       InvalidArgument);
  CHECK_THROWS_WITH_AS(picture_of_patches(p, Shape{80, 80, 1}, 8, 3), doctest::Contains("not those"), InvalidArgument);
  CHECK(Filter(LowRank{}).stages(noise(20, 10)).size() == 2);
}

TEST_CASE("singular values on the tool") {
  const auto text = test::lsieve("look " + test::data + "/noon.png --singular");
  CHECK(text.code == 0);
  CHECK(text.out.find("of their sum at rank") != std::string::npos);
  const json j =
      json::parse(test::lsieve("look " + test::data + "/noon.png --singular --json").out)["transforms"]["singular"];
  CHECK(j["values"].size() == 512);
  CHECK(j["ranks"][0]["rank_by_energy"] == rank_shares(gray_noon()).rank_for(0.9, true));
  const test::Folder f;
  CHECK(test::lsieve("look " + test::data + "/chart.png --singular --sheet " + (f / "s.png")).code == 0);
  CHECK(io::read(f / "s.png").image.width() == 1280);
}

TEST_CASE("energy and size of the first terms, counted from 1") {
  Image diagonal(3, 4);
  diagonal.at(0, 0) = 3, diagonal.at(1, 1) = 2, diagonal.at(2, 2) = 1;
  for (const int rank : {0, 2}) {
    const Svd s = svd(diagonal, rank);
    CHECK(s.energy(1) == doctest::Approx(9.0 / 14));
    CHECK(s.energy(2) == doctest::Approx(13.0 / 14));  // of all, also where fewer terms are at hand
    CHECK(s.numbers(2) == 2 * (3 + 4 + 1));
    CHECK(s.bytes(2) == 4 * s.numbers(2));
    CHECK_THROWS_AS(s.energy(0), InvalidArgument);
    CHECK_THROWS_AS(s.numbers(s.rank + 1), InvalidArgument);
  }
  CHECK(svd(diagonal).energy(3) == doctest::Approx(1));
  const RankShares shares = rank_shares(gray_noon());
  const Svd sketch = svd(gray_noon(), 20, SvdMethod::randomized);
  CHECK(sketch.energy(20) == doctest::Approx(shares.energy[19]).epsilon(1e-4));
  Image rows(2, 4);
  rows.at(0, 0) = 1, rows.at(0, 1) = -1, rows.at(1, 2) = 0.2F, rows.at(1, 3) = -0.2F;
  const Principal p = principal_rows(rows);
  CHECK(p.energy(1) == doctest::Approx(1 / 1.04));
  CHECK(p.energy(2) == doctest::Approx(1));
  CHECK(p.numbers(1) == 1 * (2 + 4) + 2);
  CHECK(p.bytes(1) == 32);
  CHECK_THROWS_AS(p.energy(0), InvalidArgument);
  CHECK_THROWS_AS(p.numbers(3), InvalidArgument);
}
