#include "support.hpp"

#include <sstream>

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

Kernel random_kernel(int w, int h, std::uint64_t seed) {
  std::vector<double> taps;
  const RandomStream random(seed);
  for (int i = 0; i < w * h; ++i) taps.push_back(random.uniform(static_cast<std::uint64_t>(i)) - 0.4);
  return Kernel(w, h, taps, static_cast<int>(seed) % w, static_cast<int>(seed) % h);
}

double weight(const Kernel& k) {
  double sum = 0;
  for (const double t : k.taps()) sum += std::abs(t);
  return sum;
}

}  // namespace

TEST_CASE("convolution turns the kernel by 180 degrees, correlation does not") {
  Image impulse(7, 5);
  impulse.at(3, 2) = 1;
  const Kernel k = Kernel::parse("1,2,3/4,5,6/7,8,10");
  const Image conv = Convolve{.kernel = k}(impulse), corr = Correlate{.kernel = k}(impulse);
  for (int j = -1; j <= 1; ++j) {
    for (int i = -1; i <= 1; ++i) {
      CHECK(conv.at(3 + i, 2 + j) ==
            static_cast<float>(k.at(1 + i, 1 + j)));  // an impulse brings out the kernel as written
      CHECK(corr.at(3 + i, 2 + j) == static_cast<float>(k.at(1 - i, 1 - j)));
    }
  }
  CHECK(conv.at(0, 0) == 0);
}

TEST_CASE("convolution and correlation against the plain sums: kernels, borders, strides, sizes, ways") {
  const std::pair<int, int> sizes[] = {{1, 1}, {1, 9}, {13, 1}, {17, 11}, {66, 35}};
  const std::pair<int, int> sides[] = {{1, 1}, {3, 3}, {2, 4}, {5, 3}, {1, 7}, {9, 9}};
  std::uint64_t seed = 0;
  for (const auto& [w_, h_] : sizes) {
    const int w = w_;
    const int h = h_;
    const Image in = noise(w, h, seed % 2 ? 1 : 4);
    for (const auto& [kw_, kh_] : sides) {
      const int kw = kw_;
      const int kh = kh_;
      const Kernel k = random_kernel(kw, kh, ++seed);
      for (const Border border : test::all_borders) {
        for (const int stride : {1, 2, 3}) {
          if (border == Border::inside && (kw > w || kh > h)) {
            CHECK_THROWS_AS((Convolve{.kernel = k, .border = border, .stride = stride}(in)), InvalidArgument);
            continue;
          }
          CAPTURE(w);
          CAPTURE(h);
          CAPTURE(kw);
          CAPTURE(kh);
          CAPTURE(name_of(border));
          CAPTURE(stride);
          for (const ConvolutionMethod method : {ConvolutionMethod::direct, ConvolutionMethod::fourier}) {
            const Convolve conv{.kernel = k, .border = border, .fill = 0.4F, .stride = stride, .method = method};
            const Correlate corr{.kernel = k, .border = border, .fill = 0.4F, .stride = stride, .method = method};
            test::check_as_defined(conv, in);
            test::check_as_defined(corr, in);
          }
          if (border == Border::inside) {
            const Shape s = Convolve{.kernel = k, .border = border, .stride = stride}(in).shape();
            CHECK(s.width == (w - kw + stride) / stride);
            CHECK(s.height == (h - kh + stride) / stride);
          }
        }
      }
    }
  }
}

TEST_CASE("the three ways agree on separable kernels, also when large") {
  const Image in = noise(150, 90, 2);
  for (const Border border : test::all_borders) {
    for (const int stride : {1, 4}) {
      const Kernel k = Kernel::gaussian(3, 21);
      const Image direct =
          Convolve{.kernel = k, .border = border, .stride = stride, .method = ConvolutionMethod::direct}(in);
      CHECK(deviation(direct,
                      Convolve{.kernel = k, .border = border, .stride = stride, .method = ConvolutionMethod::separable}(
                          in)) < 1e-5);
      CHECK(deviation(direct,
                      Convolve{.kernel = k, .border = border, .stride = stride, .method = ConvolutionMethod::fourier}(
                          in)) < 1e-5);
    }
  }
  CHECK(chosen_method(Kernel::gaussian(3), {4000, 3000, 1}) == ConvolutionMethod::separable);
  CHECK(chosen_method(random_kernel(3, 3, 1), {4000, 3000, 1}) == ConvolutionMethod::direct);
  CHECK(chosen_method(random_kernel(101, 101, 1), {4000, 3000, 1}) == ConvolutionMethod::fourier);
  CHECK_THROWS_AS((Convolve{.kernel = random_kernel(3, 3, 1), .method = ConvolutionMethod::separable}(in)),
                  InvalidArgument);
}

TEST_CASE("NaN stays within the kernel's reach, whatever the way") {
  Image in = noise(90, 70);
  in.at(40, 30) = std::nanf("");
  const auto outside_is_finite = [](const Image& out, int reach) {
    for (int y = 0; y < out.height(); ++y) {
      for (int x = 0; x < out.width(); ++x) {
        const bool near = std::abs(x - 40) <= reach && std::abs(y - 30) <= reach;
        if (!near && !std::isfinite(out.at(x, y))) return false;
      }
    }
    return !std::isfinite(out.at(40, 30));
  };
  for (const ConvolutionMethod method :
       {ConvolutionMethod::direct, ConvolutionMethod::separable, ConvolutionMethod::fourier})
    CHECK(outside_is_finite(Convolve{.kernel = Kernel::gaussian(2, 9), .method = method}(in), 4));
  CHECK(outside_is_finite(Box{.radius = 3}(in), 3));
  CHECK(outside_is_finite(Gaussian{.sigma = 2}(in), *Filter(Gaussian{.sigma = 2}).reach()));
  const Image slope = GradientMagnitude{}(in);
  CHECK(std::isnan(slope.at(41, 30)));
  CHECK(std::isfinite(slope.at(42, 30)));
}

TEST_CASE("Gaussian of any sigma against the plain one, sum 1, every border") {
  const Image in = noise(100, 61, 2);
  for (const float sigma : {0.3F, 1.0F, 2.5F, 3.99F, 4.0F, 6.0F, 13.0F, 30.0F}) {
    for (const Border border : test::all_borders) {
      const Gaussian g{.sigma = sigma, .border = border, .fill = 0.7F};
      CAPTURE(sigma);
      CAPTURE(name_of(border));
      if (border == Border::inside && 2 * *Filter(g).reach() + 1 > 61) {
        CHECK_THROWS_AS(g(in), InvalidArgument);
        continue;
      }
      test::check_as_defined(g, in);
    }
  }
  Image flat(300, 200);
  for (int y = 0; y < 200; ++y) std::fill_n(flat.row(y), 300, 0.6F);
  CHECK(deviation(Gaussian{.sigma = 40}(flat), flat) < 1e-6);  // no dark frame
  CHECK(deviation(Box{.radius = 90}(flat), flat) < 1e-6);
  CHECK(identical(Gaussian{.sigma = 0}(in), in));
}

TEST_CASE("box of any radius against the plain mean, tall pictures and windows larger than the picture") {
  for (const auto& [w_, h_] : {std::pair{53, 300}, {7, 5}, {1100, 9}, {31, 23}}) {
    const int w = w_;
    const int h = h_;
    const Image in = noise(w, h, 1);
    for (const int radius : {0, 1, 2, 6, 40}) {
      for (const Border border : test::all_borders) {
        const Box b{.radius = radius, .border = border, .fill = 0.2F};
        CAPTURE(w);
        CAPTURE(radius);
        CAPTURE(name_of(border));
        if (border == Border::inside && (2 * radius + 1 > w || 2 * radius + 1 > h)) {
          CHECK_THROWS_AS(b(in), InvalidArgument);
        } else if (w * h * radius * radius < 1500000) {
          test::check_as_defined(b, in);
        }
      }
    }
  }
  // Many rows between two fresh sums: the drift stays below a float's last digits.
  const Image tall = noise(3, 1500);
  test::check_as_defined(Box{.radius = 66}, tall);
  // More than 512 rows to a window begin with sums of whole blocks of rows; what is not finite stays in its windows. In
  // a picture one pixel wide the mean over a window is that over its rows.
  Image column = noise(1, 700);
  for (const bool finite : {true, false}) {
    if (!finite) column.at(0, 90) = INFINITY;
    for (const int radius : {256, 300}) {
      const Image mean = Box{.radius = radius, .border = Border::edge}(column);
      for (int y = 0; y < 700; ++y) {
        double sum = 0;
        for (int i = y - radius; i <= y + radius; ++i) sum += static_cast<double>(column.at(0, std::clamp(i, 0, 699)));
        CAPTURE(y);
        if (std::isfinite(sum)) {
          CHECK(mean.at(0, y) == doctest::Approx(sum / (2 * radius + 1)).epsilon(1e-6));
        } else {
          CHECK(mean.at(0, y) == INFINITY);
        }
      }
    }
  }
}

TEST_CASE("gradients: magnitude and direction of a ramp, and against the plain form") {
  Image ramp(20, 20);
  for (int y = 0; y < 20; ++y) {
    for (int x = 0; x < 20; ++x) ramp.at(x, y) = 0.03F * static_cast<float>(x) + 0.04F * static_cast<float>(y);
  }
  CHECK(GradientMagnitude{}(ramp).at(9, 9) == doctest::Approx(8 * 0.05).epsilon(1e-4));
  CHECK(GradientDirection{.by = GradientBy::scharr}(ramp).at(9, 9) ==
        doctest::Approx(std::atan2(0.04, 0.03)).epsilon(1e-4));
  const Image in = noise(45, 31, 3);
  for (const GradientBy by : {GradientBy::sobel, GradientBy::prewitt, GradientBy::scharr}) {
    const GradientMagnitude m{.by = by, .border = Border::reflect};
    const GradientDirection d{.by = by, .border = Border::mirror};
    test::check_as_defined(m, in);
    test::check_as_defined(d, in);
  }
  Image sides(3, 3);  // all four quadrants and the flat case
  CHECK(GradientDirection{}(sides).at(1, 1) == 0);
  sides.at(0, 1) = 1;
  CHECK(GradientDirection{}(sides).at(1, 1) == doctest::Approx(3.14159265));
  CHECK_THROWS_AS((GradientMagnitude{.border = Border::inside}(in)), InvalidArgument);
}

TEST_CASE("frame: crop, pad and shrink") {
  const Image in = noise(23, 17, 4);
  CHECK(identical(Crop{.x = 3, .y = 4, .width = 6, .height = 5}(in),
                  reference::plain(Crop{.x = 3, .y = 4, .width = 6, .height = 5}, in)));
  CHECK(Crop{.x = 20}(in).width() == 3);
  CHECK_THROWS_AS((Crop{.x = 20, .width = 4}(in)), InvalidArgument);
  for (const Border border : test::all_borders) {
    const Pad pad{.left = 30, .right = 1, .top = 2, .bottom = 40, .border = border, .fill = 0.9F};
    if (border == Border::inside) {
      CHECK_THROWS_AS(pad(in), InvalidArgument);
    } else {
      CHECK(identical(pad(in), reference::plain(pad, in)));
    }
  }
  for (const float factor : {1.0F, 2.0F, 2.7F, 30.0F}) test::check_as_defined(Shrink{.factor = factor}, in);
  const Image flat = Shrink{.factor = 3}(Image(10, 10));
  CHECK(flat.width() == 3);
  CHECK_THROWS_AS((Shrink{.factor = 0.5F}(in)), InvalidArgument);
  CHECK_THROWS_AS(shrink_to(in, 24, 17), InvalidArgument);
}

TEST_CASE("kernels from names, text and files; what is wrong is said") {
  CHECK(Kernel::gaussian(1.5).sum() == doctest::Approx(1).epsilon(1e-12));
  CHECK(Kernel::gaussian(1.5).width() == 13);
  CHECK(Kernel::parse("gaussian:sigma=2,size=9").width() == 9);
  CHECK(Kernel::parse("0,-1,0/-1,5,-1/0,-1,0").taps() == Kernel::parse("sharpen").taps());
  CHECK(Kernel::parse("1,1/1,1:anchor=1,0").anchor_x() == 1);
  CHECK(Kernel::parse(Kernel::parse("1,2.5/3,4:anchor=1,0").text()).taps() == std::vector<double>{1, 2.5, 3, 4});
  const Resources files{{}, [](const std::string& name) {
                          CHECK(name == "mine.txt");
                          return std::string("# my kernel\n1 2, 3 4\n5 6 7 8  # second row\nanchor 2 1\n");
                        }};
  const Kernel mine = Kernel::parse("@mine.txt", files);
  CHECK(mine.width() == 4);
  CHECK(mine.anchor_x() == 2);
  CHECK(mine.turned().at(0, 0) == 8);
  CHECK(mine.turned().anchor_x() == 1);
  for (const char* wrong :
       {"", "gausian", "gaussian:sigma=0", "gaussian:size=4", "gaussian:radius=1", "1,2/3", "1,x,2", "1,1/1,1",
        "1,1/1,1:anchor=2,0", "1,,2", "@", "nan", "1e999,1,1", "box:radius=1.5", "1,2,3:achor=1,0", "//"}) {
    CAPTURE(wrong);
    CHECK_THROWS_AS(Kernel::parse(wrong), InvalidArgument);
  }
  CHECK_THROWS_WITH_AS(Kernel::parse("laplacien"), doctest::Contains("did you mean 'laplacian'"), InvalidArgument);
  for (const Kernel::Preset& n : Kernel::names()) CHECK_NOTHROW(Kernel::parse(n.name));
  CHECK_THROWS_WITH_AS(Kernel::box(-1), doctest::Contains("give 0 to"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Kernel::gaussian(0), doctest::Contains("give above 0"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Kernel::disk(501), doctest::Contains("give 0 to 500"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Kernel::motion(0.5, 0), doctest::Contains("give 1 to 1000"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Kernel::motion(9, 361), doctest::Contains("degrees"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Kernel(3, 3, {1, 2}), doctest::Contains("needs 9 taps, given are 2"), InvalidArgument);
  const std::vector<double> endless(5000, 1.0);
  CHECK_THROWS_WITH_AS(Kernel::outer(endless, endless), doctest::Contains("5000x5000"), InvalidArgument);
}

TEST_CASE("bad calls say so and change nothing") {
  Image in = noise(8, 8);
  const Convolve c{.kernel = Kernel::parse("sharpen")};
  CHECK_THROWS_AS(c(Image()), InvalidArgument);
  CHECK_THROWS_AS((Convolve{.stride = 0}(in)), InvalidArgument);
  Image small(7, 8);
  CHECK_THROWS_AS(c(in, small.view()), InvalidArgument);
  CHECK_THROWS_WITH_AS(c(in, in.view()), doctest::Contains("share memory"), InvalidArgument);
  // A caller's own strided buffer is filtered without a copy, and nothing outside the picture is written.
  std::vector<float> mine(20 * 8, 0.5F), result(20 * 8, -7.0F);
  c(ConstView{mine.data(), {8, 8, 1}, 20, 0, 0}, View{result.data(), {8, 8, 1}, 20, 0});
  CHECK(result[7] == doctest::Approx(0.5));
  CHECK(result[8] == -7.0F);
}

TEST_CASE("extreme kernels: a tap far off, one column, larger than the picture, all zero") {
  const Image in = noise(30, 20);
  // A single tap off the middle shifts the picture.
  std::vector<double> taps(21 * 15, 0.0);
  taps[3 * 21 + 20] = 1;
  const Kernel shift(21, 15, taps);
  const Image moved = Correlate{.kernel = shift, .border = Border::zero}(in);
  CHECK(moved.at(5, 10) == in.at(15, 6));
  CHECK(moved.at(25, 10) == 0);
  CHECK(identical(Convolve{.kernel = Kernel::parse("identity")}(in), in));
  const Image nothing = Convolve{.kernel = Kernel(3, 3, std::vector<double>(9, 0.0))}(in);
  CHECK(deviation(nothing, Image(30, 20)) == 0);
  for (const auto& [w_, h_] : {std::pair{1, 61}, {81, 1}, {61, 61}}) {
    const int w = w_;
    const int h = h_;
    std::vector<double> line(static_cast<std::size_t>(w * h));
    const RandomStream random(static_cast<std::uint64_t>(w));
    for (std::size_t i = 0; i < line.size(); ++i) line[i] = random.uniform(i) / static_cast<double>(line.size());
    const Kernel k(w, h, line);
    for (const Border border : {Border::edge, Border::reflect, Border::wrap, Border::mirror}) {
      const Convolve c{.kernel = k, .border = border};
      CAPTURE(w);
      CAPTURE(name_of(border));
      test::check_as_defined(c, in);
    }
  }
}

TEST_CASE("large tiled convolutions: several FFT tiles to a side meet without a seam") {
  const Image in = noise(1300, 700);
  const Kernel k = random_kernel(15, 11, 4);
  const Convolve fourier{.kernel = k, .border = Border::mirror, .method = ConvolutionMethod::fourier},
      direct{.kernel = k, .border = Border::mirror, .method = ConvolutionMethod::direct};
  CHECK(deviation(fourier(in), direct(in)) < 2e-5 * weight(k));
  const Convolve strided{.kernel = k, .border = Border::inside, .stride = 3, .method = ConvolutionMethod::fourier};
  CHECK(deviation(strided(in),
                  Convolve{.kernel = k, .border = Border::inside, .stride = 3, .method = ConvolutionMethod::direct}(
                      in)) < 2e-5 * weight(k));
}

TEST_CASE("infinity and NaN at the corners: carried, not spread, by every way and border") {
  for (const float odd : {std::numeric_limits<float>::infinity(), std::nanf("")}) {
    Image in = noise(70, 60);
    in.at(0, 0) = odd;
    in.at(69, 59) = odd;
    for (const char* text :
         {"gaussian sigma=2 border=reflect", "box radius=2", "convolve kernel=disk:radius=2 method=fourier",
          "convolve kernel=emboss border=mirror", "gradient_direction"}) {
      CAPTURE(text);
      const Image out = Chain::parse(text)(in);
      int lost = 0;
      for (int y = 0; y < 60; ++y) {
        for (int x = 0; x < 70; ++x) lost += !std::isfinite(out.at(x, y));
      }
      const int reach = *Chain::parse(text).steps()[0].reach();
      CHECK(lost <= 2 * (2 * reach + 1) * (2 * reach + 1));
      CHECK(std::isfinite(out.at(35, 30)));
    }
  }
}

TEST_CASE("rows of every length about the vector widths") {
  // Tails of SIMD loops: every width from 1 to 70, a few rows.
  for (int w = 1; w <= 70; ++w) {
    const Image in = noise(w, 5, 1, static_cast<std::uint64_t>(w));
    CAPTURE(w);
    for (const char* text : {"gaussian sigma=1.3", "box radius=5", "convolve kernel=1,2,3/4,5,6/7,8,10",
                             "convolve kernel=laplacian", "gradient_magnitude", "clip", "stretch low=0.1 high=0.7"}) {
      const Filter f = Chain::parse(text).steps()[0];
      CAPTURE(text);
      test::check_as_defined(f, in);
    }
  }
}

TEST_CASE("kernels as functions: those of the names, outer products, and their print") {
  const std::pair<Kernel, const char*> named[] = {
      {Kernel::identity(), "identity"},     {Kernel::sharpen(), "sharpen"},     {Kernel::laplacian(), "laplacian"},
      {Kernel::laplacian(8), "laplacian8"}, {Kernel::sobel_x(), "sobel_x"},     {Kernel::sobel_y(), "sobel_y"},
      {Kernel::prewitt_x(), "prewitt_x"},   {Kernel::prewitt_y(), "prewitt_y"}, {Kernel::scharr_x(), "scharr_x"},
      {Kernel::scharr_y(), "scharr_y"},     {Kernel::emboss(), "emboss"},       {Kernel::airy(2), "airy:radius=2"}};
  for (const auto& [kernel, text] : named) {
    CAPTURE(std::string(text));
    CHECK(kernel.taps() == Kernel::parse(text).taps());
    CHECK(kernel.text() == text);
  }
  CHECK_THROWS_AS(Kernel::laplacian(6), InvalidArgument);
  CHECK_THROWS_AS(Kernel::airy(0.1), InvalidArgument);
  const std::vector<double> smooth = {1, 2, 1}, slope = {-1, 0, 1}, flat = {1, 1, 1, 1, 1};
  CHECK(Kernel::outer(smooth, slope).taps() == Kernel::sobel_x().taps());
  CHECK(Kernel::outer(slope, smooth).taps() == Kernel::sobel_y().taps());
  const Kernel wide = Kernel::outer(smooth, flat);
  CHECK(wide.width() == 5);
  CHECK(wide.height() == 3);
  CHECK(wide.sum() == 20);
  CHECK_THROWS_AS(Kernel::outer(std::vector<double>{1, 1}, flat), InvalidArgument);
  CHECK_THROWS_AS(Kernel::outer({}, flat), InvalidArgument);
  std::ostringstream out;
  out << Kernel::sobel_x();
  CHECK(out.str() == "kernel 3x3, anchor 1,1, sum 0\n  -1   0   1\n  -2   0   2\n  -1   0   1\n");
}
