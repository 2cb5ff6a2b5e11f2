// Writes the files that a fuzz target starts from: fuzz_seeds TARGET FOLDER DEMO_PICTURES.

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

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
       {"gaussian:sigma=2", "0,1,0/1,-4,1/0,1,0", "sobel_x", "motion:length=9:angle=30", "disk:radius=2.5"})
    save(std::to_string(n++), std::string(1, '\1') + kernel);
  save(std::to_string(n++), std::string(1, '\2') + "lean_sieve = 1\n[[step]]\nfilter = \"gaussian\"\nsigma = 2.0\n");
  const std::pair<char, std::string> others[] = {{3, record_of(Chain::parse("gaussian sigma=2 then median"))},
                                                 {4, "0,0/0.3,0.5/1,1"},
                                                 {5, "0,1,0/1,1,1/0,1,0"},
                                                 {6, "normal:mean=0.5,deviation=0.2"},
                                                 {7, "0.1,0.2/-0.3,0.05 width=0.02"}};
  for (const auto& [kind, text] : others) save(std::to_string(n++), std::string(1, kind) + text);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 4) return std::fputs("fuzz_seeds TARGET FOLDER DEMO_PICTURES\n", stderr), 2;
  folder = argv[2];
  const std::string target = argv[1];
  if (target == "decode") pictures(argv[3]);
  if (target == "unpack") packed(argv[3]);
  if (target == "text") texts();
}
