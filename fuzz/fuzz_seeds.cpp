// Writes the files that a fuzz target starts from: fuzz_seeds TARGET FOLDER DEMO_PICTURES.

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include "built_files.hpp"
#include "hostile_files.hpp"
#include "sieve/io.hpp"
#include "sieve/pack.hpp"
#include "sieve/sieve.hpp"

namespace {

using namespace sieve;

std::filesystem::path folder;

void save(const std::string& name, const std::string& bytes) {
  std::ofstream out(folder / name, std::ios::binary);
  out << bytes;
  if (!out) throw Error("could not write " + (folder / name).string());
}

// Small pictures of every kind of file, depth and number of channels.
void pictures(const std::string& demo) {
  const Image noon = Crop{.x = 300, .y = 200, .width = 37, .height = 29}(io::read(demo + "/noon.png").image);
  const std::vector<Image> parts = split(noon);
  for (const std::size_t channels : {1U, 2U, 3U, 4U}) {
    std::vector<Image> some;
    for (std::size_t c = 0; c < channels; ++c) some.push_back(parts[c % parts.size()]);
    for (const char* kind : {"png", "jpg", "tif", "pgm", "ppm", "pfm", "npy", "lsv"}) {
      for (const int bits : {1, 8, 16, 32}) {
        try {
          (void)io::write((folder / (std::to_string(channels) + "_" + std::to_string(bits) + "." + kind)).string(),
                          join(some), {.bits = bits});
        } catch (const Error&) {
          // Not every kind of file holds every picture.
        }
      }
    }
  }
}

void packed(const std::string& demo) {
  const Image noon = Crop{.x = 300, .y = 200, .width = 37, .height = 29}(io::read(demo + "/noon.png").image);
  int n = 0;
  for (const PackOptions& o : {PackOptions{.by = PackBy::cosine}, PackOptions{.by = PackBy::wavelet},
                               PackOptions{.by = PackBy::svd, .keep = 5}, PackOptions{.by = PackBy::pca, .keep = 5},
                               PackOptions{.lossless = true}}) {
    for (const Image& picture : {noon, split(noon).front()}) {
      const Packed p = pack(picture, o);
      save(std::to_string(n++) + ".lsv", {p.bytes.begin(), p.bytes.end()});
    }
  }
}

// The first byte tells the target what the text is.
void texts() {
  int n = 0;
  for (const std::string& name : Catalogue::standard().names())
    save(std::to_string(n++), std::string(1, '\0') + name + " then " + name);
  for (const char* kernel :
       {"gaussian:sigma=2", "0,1,0/1,-4,1/0,1,0", "sobel_x", "motion:length=9,angle=30", "disk:radius=2.5",
        "box:radius=2", "airy:radius=3", "1,2/3,4:anchor=1,0", "@k.txt\n1 2 3 # weights\n4 5 6\nanchor 1 0\n",
        "@k.pgm\nP5\n", "box:radius=0.5", "gaussian:size"})
    save(std::to_string(n++), std::string(1, '\1') + kernel);
  for (const char* recipe :
       {"lean_sieve = 1\n[[step]]\nfilter = \"gaussian\"\nsigma = 2.0\n",
        "lean_sieve = 1\n[[step]]\nfilter = \"within\"\nx = 1\n[[step]]\nfilter = \"median\"\n[[step]]\nfilter = "
        "\"end\"\n"})
    save(std::to_string(n++), std::string(1, '\2') + recipe);
  for (const char* chain : {"within x=1 y=1 width=4 height=4 then median then box end then invert",
                            "within then within then median end end", "add with=a.png", "wiener noise=auto"})
    save(std::to_string(n++), std::string(1, '\0') + chain);
  std::string nested;
  for (int i = 0; i < 2000; ++i) nested += "a.";
  save(std::to_string(n++), std::string(1, '\2') + nested + "a = 1");
  const std::pair<char, std::string> others[] = {{3, record_of(Chain::parse("gaussian sigma=2 then median"))},
                                                 {4, "0,0/0.3,0.5/1,1"},
                                                 {5, "0,1,0/1,1,1/0,1,0"},
                                                 {5, "@w.txt\n1,1,1\n"},
                                                 {6, "normal:mean=0.5,deviation=0.2"},
                                                 {6, "rayleigh:scale=0.3"},
                                                 {6, "uniform"},
                                                 {6, "@d.csv\nlevel,density\n0,1\n0.5,2\n1,0\n"},
                                                 {7, "0.1,0.2/-0.3,0.05 width=0.02"}};
  for (const auto& [kind, text] : others) save(std::to_string(n++), std::string(1, kind) + text);
}

std::vector<std::uint8_t> random_bytes(std::size_t size, std::uint64_t seed) {
  const RandomStream random(1, seed);
  std::vector<std::uint8_t> raw(size);
  for (std::size_t k = 0; k < size; ++k) raw[k] = static_cast<std::uint8_t>(256 * random.uniform(k));
  return raw;
}

// Every filter, or every measure, a few times, with any settings.
void steps() {
  for (std::uint64_t n = 0; n < 500; ++n) {
    const auto raw = random_bytes(64, n);
    save(std::to_string(n), {raw.begin(), raw.end()});
  }
}

// Files of each format as they are built for targets of their own.
void built() {
  std::uint64_t n = 0;
  for (const auto build : {fuzz::built_png, fuzz::built_tiff, fuzz::built_jpeg, fuzz::built_pnm, fuzz::built_npy}) {
    for (int i = 0; i < 60; ++i) {
      const auto raw = random_bytes(300, n++);
      fuzz::Bytes bytes(raw);
      const fuzz::File file = build(bytes);
      save("built" + std::to_string(n), {file.begin(), file.end()});
    }
  }
}

// Small files that claim much.
void hostile() {
  using namespace fuzz::hostile;
  const std::string pixel(2, '\0');
  const std::string files[] = {
      png(1, 1, 8, 0, pixel).substr(0, 33) + big_endian(0x7ffffff0) + "tEXt" + std::string(16, 'a'),
      png(8000, 8000, 16, 6, std::string(9000, '\0'), "", true),
      png(1, 1, 8, 0, pixel, text("Lean Sieve", std::string(90'000, 'a')) + text("k", "v")),
      tiled(900),
      tiled(1),
      striped(9000, 8, 8, std::string(800, 'x')),
      striped(23000, 1, 4, std::string(800, '\xff')),
      many_scans(256, 100)};
  int n = 0;
  for (const std::string& file : files) save("hostile" + std::to_string(n++), file);
}

// The first byte tells the path, and that the request is sound up to its body.
void requests() {
  const char* all[][2] = {
      {"0", R"({"input":0,"truth":false})"},
      {"0", R"({"truth":true})"},
      {"1", R"({"page":"p","chain":"gaussian sigma=2 then unsharp","figures":true})"},
      {"1", R"({"page":"p","chain":"median","part":[3,2,10,9],"shrink":2,"slot":"B"})"},
      {"1", R"({"page":"p","chain":"crop x=1 y=1 width=9 height=9 then equalize","upto":1,"part":[0,0,24,18]})"},
      {"1", R"({"page":"q","chain":"subtract with=clean.png then gausian","slot":"K"})"},
      {"2", R"({"page":"p","chain":"box radius=2"})"},
      {"3", R"({"page":"p","chain":"median then convolve kernel=sobel_x"})"},
      {"3", R"({"page":"p","chain":"low_rank rank=3"})"},
      {"3", R"({"page":"p","chain":""})"},
      {"4", R"({"chain":"convolve kernel=0,1,0/1,1,1/0,1,0 then curve points=0,0/1,1"})"},
      {"5", R"({"chain":"within x=1 then median end"})"},
      {"6", R"({"page":"p"})"},
      {"7", R"({"page":"p"})"},
      {"8", R"({"page":"p","name":"x.png","what":"result","chain":"median"})"},
      {"8", R"({"page":"p","name":"x.toml","what":"recipe","chain":"median"})"},
  };
  int n = 0;
  for (const auto& [path, body] : all)
    save(std::to_string(n++), static_cast<char>(16 * (path[0] - '0') + 1) + std::string(body));
  save(std::to_string(n++), std::string(1, '\0') + "GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n");
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 4) return std::fputs("fuzz_seeds TARGET FOLDER DEMO_PICTURES\n", stderr), 2;
  folder = argv[2];
  const std::string target = argv[1];
  if (target == "decode") {
    pictures(argv[3]);
    built();
    hostile();
  }
  if (target == "unpack") packed(argv[3]);
  if (target == "text") texts();
  if (target == "steps" || target == "measures") steps();
  if (target == "http") requests();
}
