#include "support.hpp"

#include <jpeglib.h>

#include <sys/resource.h>

#include <csignal>
#include <cstring>

#include "sieve/io.hpp"

using namespace sieve;
using test::Folder;
using test::noise;

namespace {

// Samples that lie on the levels of a depth.
Image on_levels(int w, int h, int channels, std::uint32_t maximum) {
  Image image(Shape{w, h, channels}, maximum);
  const RandomStream random(4);
  for (int c = 0; c < channels; ++c) {
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const auto level = random.words(static_cast<std::uint64_t>((c * h + y) * w + x))[0] % (maximum + 1);
        image.at(x, y, c) = static_cast<float>(level) / static_cast<float>(maximum);
      }
    }
  }
  return image;
}

std::string error_of(const std::function<void()>& f) {
  try {
    f();
  } catch (const Error& e) {
    return e.what();
  }
  return "no error";
}

void write_jpeg(const std::string& path, int components, J_COLOR_SPACE space, const std::string& exif) {
  FILE* file = std::fopen(path.c_str(), "wb");
  jpeg_compress_struct c{};
  jpeg_error_mgr errors{};
  c.err = jpeg_std_error(&errors);
  jpeg_create_compress(&c);
  jpeg_stdio_dest(&c, file);
  c.image_width = 16;
  c.image_height = 8;
  c.input_components = components;
  c.in_color_space = space;
  jpeg_set_defaults(&c);
  jpeg_set_quality(&c, 100, TRUE);
  jpeg_start_compress(&c, TRUE);
  if (!exif.empty())
    jpeg_write_marker(&c, JPEG_APP0 + 1, reinterpret_cast<const JOCTET*>(exif.data()),
                      static_cast<unsigned>(exif.size()));
  // Left half one color, right half another.
  std::vector<JSAMPLE> row(static_cast<std::size_t>(16 * components));
  for (std::size_t i = 0; i < row.size(); ++i)
    row[i] = i < row.size() / 2 ? 255 : static_cast<JSAMPLE>(i % static_cast<std::size_t>(components) == 0 ? 255 : 51);
  JSAMPROW p = row.data();
  for (int y = 0; y < 8; ++y) jpeg_write_scanlines(&c, &p, 1);
  jpeg_finish_compress(&c);
  jpeg_destroy_compress(&c);
  std::fclose(file);
}

}  // namespace

TEST_CASE("round trips: every format, depth and number of channels, bit for bit") {
  const Folder folder;
  for (const auto& [ending_, depths] :
       std::vector<std::pair<std::string, std::vector<int>>>{{".png", {1, 2, 4, 8, 16}},
                                                             {".tif", {8, 16, 32}},
                                                             {".pgm", {1, 3, 8, 10, 16}},
                                                             {".ppm", {8, 16}},
                                                             {".npy", {8, 16, 32}},
                                                             {".pfm", {32}}}) {
    const std::string ending = ending_;
    for (const int bits : depths) {
      for (int channels = 1; channels <= 4; ++channels) {
        const bool alpha = channels == 2 || channels == 4;
        if ((ending != ".png" && ending != ".tif" && ending != ".npy" && alpha) ||
            (ending == ".pgm" && channels != 1) || (ending == ".ppm" && channels != 3))
          continue;
        if (bits < 8 && channels > 1) continue;
        for (const int w : {1, 37}) {
          const int h = w / 2 + 1;
          CAPTURE(ending);
          CAPTURE(bits);
          CAPTURE(channels);
          CAPTURE(w);
          const Image in = bits == 32 ? noise(w, h, channels) : on_levels(w, h, channels, (1U << bits) - 1);
          const std::string path = folder / ("a" + ending);
          const io::Written written = io::write(path, in);  // the depth is the source's by default
          CHECK(written.bits == bits);
          CHECK(written.saturation.total() == 0);
          const io::Loaded back = io::read(path);
          CHECK(back.bits == bits);
          CHECK(back.image.white_level() == in.white_level());
          CHECK(identical(back.image, in));
        }
      }
    }
  }
  // A largest level that is no power of two less one is kept; a bitmap; other depths by option.
  const Image hundred = on_levels(9, 5, 1, 100);
  (void)io::write(folder / "a.pgm", hundred);
  CHECK(io::read(folder / "a.pgm").image.white_level() == 100);
  CHECK(identical(io::read(folder / "a.pgm").image, hundred));
  const Image bitmap = on_levels(19, 7, 1, 1);
  (void)io::write(folder / "a.pbm", bitmap);
  CHECK(identical(io::read(folder / "a.pbm").image, bitmap));
  (void)io::write(folder / "b.png", on_levels(8, 8, 3, 255), {.bits = 16});
  CHECK(io::read(folder / "b.png").bits == 16);
  CHECK_THROWS_AS(io::write(folder / "b.png", hundred, {.bits = 12}), InvalidArgument);
  CHECK_THROWS_AS(io::write(folder / "b.pgm", on_levels(8, 8, 3, 255)), InvalidArgument);
  CHECK_THROWS_AS(io::write(folder / "b.xyz", hundred), InvalidArgument);
}

TEST_CASE("JPEG: close to the source, profile and saturation, CMYK and orientation") {
  const Folder folder;
  const Image smooth = Gaussian{.sigma = 4}(on_levels(64, 40, 3, 255));
  // The smallest ICC profile that checking readers accept: a header and one tag (libpng passes over tiny ones).
  std::string header(400, '\0');
  header.replace(131, 13, std::string("\1desc\0\0\0\x90\0\0\1\0", 13)).replace(144, 4, "text");
  for (std::size_t i = 152; i < 400; ++i) header[i] = static_cast<char>(RandomStream(1).words(i)[0]);
  header.replace(0, 4, std::string("\0\0\1\x90", 4))
      .replace(8, 1, "\2")
      .replace(12, 12, "mntrRGB XYZ ")
      .replace(36, 4, "acsp");
  header.replace(68, 12, std::string("\0\0\xf6\xd6\0\1\0\0\0\0\xd3\x2d", 12));
  const std::vector<std::uint8_t> profile(header.begin(), header.end());
  (void)io::write(folder / "a.jpg", smooth, {.bits = {}, .quality = 95, .profile = profile});
  const io::Loaded back = io::read(folder / "a.jpg");
  CHECK(test::deviation(back.image, smooth) < 0.03);
  CHECK(back.profile == profile);
  for (const char* name : {"a.png", "a.tif"}) {
    CHECK(io::write(folder / name, smooth, {.bits = {}, .profile = profile}).note.empty());
    CHECK(io::read(folder / name).profile == profile);
  }
  CHECK(io::write(folder / "bad.png", smooth, {.bits = {}, .profile = std::vector<std::uint8_t>(300, 7)})
            .note.find("left out") != std::string::npos);
  CHECK(io::write(folder / "n.png", noise(20, 20), {.bits = 8}).saturation.total() > 10);

  write_jpeg(folder / "cmyk.jpg", 4, JCS_CMYK, "");
  const io::Loaded cmyk = io::read(folder / "cmyk.jpg");
  CHECK(cmyk.image.channels() == 3);
  CHECK(cmyk.note.find("CMYK") != std::string::npos);
  CHECK(cmyk.image.at(1, 4, 0) > 0.95F);  // an Adobe file stores 1 - ink: all 255 is white paper
  CHECK(cmyk.image.at(14, 4, 1) < 0.1F);
  // EXIF with orientation 6: stored lying, shown turned to the right.
  const char tag[] = "Exif\0\0MM\0*\0\0\0\10\0\1\1\22\0\3\0\0\0\1\0\6\0\0\0\0\0\0";
  write_jpeg(folder / "turned.jpg", 3, JCS_RGB, std::string(tag, sizeof tag - 1));
  const io::Loaded turned = io::read(folder / "turned.jpg");
  CHECK(turned.image.width() == 8);
  CHECK(turned.image.height() == 16);
  CHECK(turned.image.at(4, 1, 1) > 0.95F);  // the left half came to the top
  CHECK(turned.image.at(4, 14, 1) < 0.3F);
}

TEST_CASE("hostile files: one clear error, never a picture and never a large allocation") {
  const Folder folder;
  CHECK(error_of([&] { (void)io::read(folder / "none.png"); }).find("cannot be opened") != std::string::npos);
  CHECK(error_of([&] { (void)io::read(folder / ""); }).find("folder") != std::string::npos);
  for (const auto& file : std::vector<std::pair<std::string, std::string>>{{"a.png", ""},
                                                                           {"a.png", "hello"},
                                                                           {"a.pgm", "P5 10 10 255\n123"},
                                                                           {"a.pgm", "P5 0 3 255\n"},
                                                                           {"a.pgm", "P5 3 3 70000\n123456789"},
                                                                           {"a.pgm", "P2 2 1 5 3 9"},
                                                                           {"a.pgm", "P5 99999999999 1 255\n"},
                                                                           {"a.pgm", "P5 2000000000 2000000000 255\n"},
                                                                           {"a.pgm", "P2 400000000 1 255\n1 2 3"},
                                                                           {"a.pfm", "Pf 2 2 0\n0000"},
                                                                           {"a.pfm", "PF 2 2 -1\n0000"},
                                                                           {"a.pfm", "Pf 20000 20000 -1\n0000"}}) {
    const std::string name = file.first, bytes = file.second;
    test::put(folder / name, bytes);
    CAPTURE(bytes);
    const std::string e = error_of([&] { (void)io::read(folder / name); });
    CHECK(e.find(name) != std::string::npos);
    CHECK(e.find('\n') == std::string::npos);
  }
  // Every truncation and a flipped byte at every place: an error or a picture of the right size.
  for (const char* name : {"c.png", "c.jpg", "c.tif", "c.ppm", "c.pfm", "c.npy"}) {
    const Image in = on_levels(12, 9, 3, 255);
    (void)io::write(folder / name, in);
    const std::string whole = test::contents(folder / name);
    int refused = 0;
    for (std::size_t n = 0; n < whole.size(); ++n) {
      try {
        const io::Loaded l = io::decode(reinterpret_cast<const std::uint8_t*>(whole.data()), n, name);
        CHECK(l.image.width() == 12);
      } catch (const Error&) {
        ++refused;
      }
      std::string flipped = whole;
      flipped[n] = static_cast<char>(flipped[n] ^ 0x41);
      try {
        (void)io::decode(reinterpret_cast<const std::uint8_t*>(flipped.data()), flipped.size(), name,
                         {.pixels = 1 << 20});
      } catch (const Error&) {
      }
    }
    CAPTURE(name);
    CHECK(refused > static_cast<int>(whole.size() * 9 / 10));
  }
  (void)io::write(folder / "d.png", on_levels(9, 9, 1, 255));
  std::filesystem::copy_file(folder / "d.png", folder / "d.jpg");
  CHECK(error_of([&] { (void)io::read(folder / "d.jpg"); }).find("holds a PNG picture although its name says JPEG") !=
        std::string::npos);
  CHECK(error_of([&] { (void)io::read(folder / "d.png", {.pixels = 80}); }).find("more than the limit of 80 pixels") !=
        std::string::npos);
}

TEST_CASE("a write that fails leaves the old file whole and nothing beside it") {
  const Folder folder;
  const Image first = on_levels(9, 9, 1, 255);
  (void)io::write(folder / "a.png", first);
  // A limit on file size stands for the full disk.
  rlimit old{};
  getrlimit(RLIMIT_FSIZE, &old);
  std::signal(SIGXFSZ, SIG_IGN);
  const rlimit tight{1000, old.rlim_max};
  setrlimit(RLIMIT_FSIZE, &tight);
  const std::string e = error_of([&] { (void)io::write(folder / "a.png", on_levels(200, 200, 1, 255)); });
  setrlimit(RLIMIT_FSIZE, &old);
  CHECK(e.find("cannot be written") != std::string::npos);
  CHECK(identical(io::read(folder / "a.png").image, first));
  CHECK(folder.entries() == 1);
  CHECK(error_of([&] { (void)io::write(folder / "no/such/a.png", first); }).find("cannot be written") !=
        std::string::npos);
}

TEST_CASE("depths: what is chosen by default, what the format cannot hold is refused or told") {
  const Folder f;
  const auto bits = [&](const std::string& name, const Image& image, std::optional<int> wish = {}) {
    return io::write(f / name, image, {.bits = wish}).bits;
  };
  CHECK(bits("a.png", noise(4, 4)) == 16);  // float into PNG: the deepest it has
  CHECK(bits("a.tif", noise(4, 4)) == 32);
  CHECK(bits("a.jpg", noise(4, 4)) == 8);
  CHECK(bits("a.pgm", noise(4, 4)) == 16);
  CHECK(bits("b.png", on_levels(4, 4, 1, 7)) == 8);  // PNG has no 3 bits
  CHECK(bits("b.png", on_levels(4, 4, 1, 15)) == 4);
  CHECK(bits("b.png", on_levels(4, 4, 1, 4095)) == 16);
  CHECK(bits("b.tif", on_levels(4, 4, 3, 1023)) == 16);
  CHECK(bits("b.pfm", on_levels(4, 4, 3, 255)) == 32);
  // A depth that holds the source's levels gives them back after rounding.
  const Image twelve = on_levels(30, 20, 1, 4095);
  (void)io::write(f / "c.png", twelve);
  std::vector<std::uint16_t> before(600), after(600);
  (void)to_interleaved(twelve, before.data(), 0, 4095);
  (void)to_interleaved(io::read(f / "c.png").image, after.data(), 0, 4095);
  CHECK(before == after);
  for (const auto& call : {std::tuple{"d.jpg", 3, 16},
                           {"d.png", 3, 4},
                           {"d.png", 1, 32},
                           {"d.tif", 1, 4},
                           {"d.pfm", 1, 8},
                           {"d.ppm", 3, 17}}) {
    const std::string name = std::get<0>(call);
    const int channels = std::get<1>(call), wish = std::get<2>(call);
    CAPTURE(name);
    CAPTURE(wish);
    CHECK(error_of([&] {
            (void)io::write(f / name, on_levels(4, 4, channels, 255), {.bits = wish});
          }).find("allowed:") != std::string::npos);
    CHECK(!std::filesystem::exists(f / name));
  }
  CHECK(io::write(f / "e.jpg", on_levels(4, 4, 4, 255)).note.find("alpha") != std::string::npos);
  CHECK(io::write(f / "e.ppm", on_levels(4, 4, 4, 255)).note.find("alpha") != std::string::npos);
  CHECK(io::read(f / "e.ppm").image.channels() == 3);
  CHECK_THROWS_AS(io::write(f / "e.jpg", on_levels(4, 4, 1, 255), {.quality = 0}), InvalidArgument);
  CHECK_THROWS_AS(io::write(f / "e.png", Image()), InvalidArgument);
}

TEST_CASE("places: links are written through, other things are not replaced, text files have a limit") {
  const Folder f;
  const Image in = on_levels(5, 5, 1, 255);
  (void)io::write(f / "real.png", in);
  std::filesystem::create_symlink(f / "real.png", f / "link.png");
  const Image other = on_levels(6, 6, 1, 255);
  (void)io::write(f / "link.png", other);
  CHECK(std::filesystem::is_symlink(f / "link.png"));
  CHECK(identical(io::read(f / "real.png").image, other));
  std::filesystem::create_directory(f / "folder.png");
  CHECK(error_of([&] { (void)io::write(f / "folder.png", in); }).find("no regular file") != std::string::npos);
  CHECK(error_of([&] { (void)io::read(f / "folder.png"); }).find("is a folder") != std::string::npos);
  test::put(f / "k.txt", "1 2 3\n");
  CHECK(io::read_text(f / "k.txt") == "1 2 3\n");
  test::put(f / "big.txt", std::string(2 << 20, 'x'));
  CHECK_THROWS_AS(io::read_text(f / "big.txt"), Error);
  CHECK_THROWS_AS(io::read_text(f / "none.txt"), Error);
  // A name in any case, one without an ending, and one with an ending of another kind.
  std::filesystem::copy_file(f / "real.png", f / "LOUD.PNG");
  std::filesystem::copy_file(f / "real.png", f / "plain");
  std::filesystem::copy_file(f / "real.png", f / "picture.dat");
  for (const char* name : {"LOUD.PNG", "plain", "picture.dat"}) CHECK(identical(io::read(f / name).image, other));
}

TEST_CASE("names and formats, bytes as a whole, and how parameters open files") {
  const std::pair<const char*, io::Format> names[] = {{"a.png", io::Format::png},       {"A.JPG", io::Format::jpeg},
                                                      {"x/y.z.tiff", io::Format::tiff}, {"a.pgm", io::Format::pnm},
                                                      {"a.pfm", io::Format::pfm},       {"a.npy", io::Format::npy},
                                                      {"a.lsv", io::Format::packed}};
  for (const auto& [name, format] : names) {
    CHECK(io::format_of_name(name) == format);
  }
  // Each ending that is named can be written.
  const std::vector<std::string> endings = words_of(io::known_endings());
  CHECK(endings.size() == 12);
  for (const std::string& ending : endings) CHECK(io::format_of_name("a" + ending).has_value());
  for (const char* name : {"a", "a.bmp", "png", ".png/", ""}) CHECK_FALSE(io::format_of_name(name).has_value());
  const test::Folder f;
  io::write_bytes(f / "b", {1, 0, 255});
  io::write_bytes(f / "b", {7});
  CHECK(test::contents(f / "b") == "\x07");
  CHECK_THROWS_AS(io::write_bytes(f / "none/b", {1}), Error);
  CHECK(f.entries() == 1);

  (void)io::write(f / "second.png", on_levels(20, 10, 1, 255));
  test::put(f / "kernel.txt", "0 1 0\n1 -4 1\n0 1 0\n");
  const std::string chain = "subtract with=" + (f / "second.png") + " then convolve kernel=@" + (f / "kernel.txt");
  const Image in = noise(20, 10);
  CHECK(identical(
      Chain::parse(chain, Catalogue::standard(), io::resources())(in),
      Chain{Subtract{.with = io::read(f / "second.png").image}, Convolve{.kernel = Kernel::laplacian()}}(in)));
  CHECK_THROWS_WITH_AS(Chain::parse(chain), doctest::Contains("sieve::io::resources()"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Kernel::parse("@k.txt"), doctest::Contains("sieve::io::resources()"), InvalidArgument);
  CHECK_THROWS_AS(Chain::parse(chain, Catalogue::standard(), io::resources({.pixels = 100})), Error);
}
