// How near every restoration comes with its defaults to its best setting, and plug_and_play to the best of all, over
// the pictures of a folder under four blurs. Usage: restoration FOLDER, see --help.

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "folder.hpp"
#include "measure.hpp"
#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

using namespace sieve;
using namespace sieve::bench;

namespace {

// A blur, the deviation of the noise after it, and the blurs a tenth smaller and larger.
struct Blurred {
  std::string name, psf;
  double noise;
  std::vector<std::string> wrong;
};
const std::vector<Blurred>& all_blurs() {
  static const std::vector<Blurred> all = {
      {"gaussian", "gaussian:sigma=1.6", 1.4 / 255, {"gaussian:sigma=1.44", "gaussian:sigma=1.76"}},
      {"disk", "disk:radius=4", 2.0 / 255, {"disk:radius=3.6", "disk:radius=4.4"}},
      {"motion",
       "motion:length=13,angle=35",
       2.5 / 255,
       {"motion:length=11.7,angle=35", "motion:length=14.3,angle=35"}},
      {"box", "box:radius=4", 0.56 / 255, {}}};
  return all;
}

struct Asked {
  std::string folder, only;
  int side = 320;
  bool color = false, each = false, prior = true, best = true, told = true;
};

struct Sample {
  std::string name;
  Image clean, damaged;
};

// The middle of the picture, cut out after the blur, so that light from beyond is in it that nobody knows.
Sample sample_of(const std::filesystem::path& file, const Blurred& b, const Asked& asked, std::uint64_t seed) {
  constexpr int kBeyond = 40;
  Image in = io::read(file.string()).image;
  if (!asked.color) in = to_gray(in);
  const int w = std::min(asked.side, in.width() - 2 * kBeyond), h = std::min(asked.side, in.height() - 2 * kBeyond);
  if (std::min(w, h) < 64)
    throw InvalidArgument(file.string() + ": give pictures of at least 144 pixels on both sides");
  const Rectangle middle{(in.width() - w) / 2, (in.height() - h) / 2, w, h},
      more{middle.x - kBeyond, middle.y - kBeyond, w + 2 * kBeyond, h + 2 * kBeyond};
  const Image blurred = Blur{.psf = Kernel::parse(b.psf), .border = Border::mirror}(in.view().part(more));
  return {file.filename().string(), Image(in.view().part(middle)),
          GaussianNoise{.deviation = static_cast<float>(b.noise),
                        .seed = seed}(blurred.view().part({kBeyond, kBeyond, w, h}))};
}

// The settings of a filter that are held against its defaults.
std::vector<std::string> settings_of(const std::string& filter, double noise) {
  std::vector<std::string> all;
  const auto add = [&](const char* name, std::initializer_list<double> values, double times = 1) {
    for (const double v : values) all.push_back(std::string(name) + "=" + std::to_string(times * v));
  };
  if (filter == "wiener") add("ratio", {0.0005, 0.001, 0.002, 0.004, 0.008, 0.016, 0.032});
  if (filter == "wiener") add("noise", {0.5, 0.7, 1.4, 2}, noise);
  if (filter == "constrained_least_squares") add("weight", {1e-4, 3e-4, 1e-3, 3e-3, 1e-2, 3e-2});
  if (filter == "richardson_lucy") add("smoothness", {0.05, 0.1, 0.2, 0.4, 0.7}, noise);
  if (filter == "total_variation_deconvolution") add("weight", {0.06, 0.12, 0.24, 0.5, 1}, noise);
  return all;
}

// Values over all pictures: their mean and the lowest.
struct Spread {
  double sum = 0, least = 1e9;
  int n = 0;
  void add(double v) { sum += v, least = std::min(least, v), ++n; }
  double mean() const { return n > 0 ? sum / n : 0; }
};

class Bench {
 public:
  Bench(const Blurred& b, const Asked& asked) : b_(b), asked_(asked) {}

  void picture(const std::filesystem::path& file, std::uint64_t seed) {
    const Sample s = sample_of(file, b_, asked_, seed);
    const auto decibels = [&](const std::string& filter, const std::string& more) {
      const std::string chain = filter + " psf=" + b_.psf + " " + more;
      return compare(Chain::parse(chain)(s.damaged), s.clean).psnr;
    };
    const std::string noise = asked_.told ? "noise=" + std::to_string(b_.noise) : "";
    double best_of_all = 0;
    if (asked_.each) std::printf("%s %s:", b_.name.c_str(), s.name.c_str());
    for (const char* filter : kFilters) {
      const double own = decibels(filter, noise);
      double best = own;
      if (asked_.best) {
        for (const std::string& setting : settings_of(filter, b_.noise))
          best = std::max(best, decibels(filter, (setting.starts_with("noise") ? "" : noise + " ") + setting));
      }
      psnr_[filter].add(own);
      loss_[filter].add(own - best);
      best_of_all = std::max(best_of_all, best);
      if (asked_.each) std::printf(" %s %.2f of %.2f", filter, own, best);
    }
    if (asked_.prior) with_prior(s, noise, best_of_all);
    if (asked_.each) std::printf("\n");
  }

  void print() const {
    std::printf("\n%s, noise of %.2f/255\n", b_.psf.c_str(), 255 * b_.noise);
    for (const char* filter : kFilters) {
      const Spread &p = psnr_.at(filter), &l = loss_.at(filter);
      std::printf("  %-30s %6.2f dB", filter, p.mean());
      std::printf(asked_.best ? "  %+.2f of its best (worst %+.2f)\n" : "\n", l.mean(), l.least);
    }
    if (!asked_.prior) return;
    std::printf("  %-30s %6.2f dB  %+.2f above the best (worst %+.2f); %.2f s a picture\n", "plug_and_play",
                prior_.mean(), gain_.mean(), gain_.least, seconds_.mean());
    std::printf("    error in a frame of 16 pixels over that inside: %+.2f dB (worst %+.2f)\n", -frame_.mean(),
                -frame_.least);
    if (wrong_.n > 0)
      std::printf("    PSF a tenth off, above wiener: %+.2f dB (worst %+.2f)\n", wrong_.mean(), wrong_.least);
    std::fflush(stdout);
  }

 private:
  static constexpr const char* kFilters[] = {"wiener", "constrained_least_squares", "richardson_lucy",
                                             "total_variation_deconvolution"};

  void with_prior(const Sample& s, const std::string& noise, double best_of_all) {
    const auto run = [&](const std::string& filter, const std::string& psf) {
      return Chain::parse(filter + " psf=" + psf + " " + noise)(s.damaged);
    };
    Image u;
    seconds_.add(seconds([&] { u = run("plug_and_play", b_.psf); }));
    const Comparison whole = compare(u, s.clean);
    prior_.add(whole.psnr);
    gain_.add(whole.psnr - best_of_all);
    constexpr int kFrame = 16;
    const Rectangle inside{kFrame, kFrame, u.width() - 2 * kFrame, u.height() - 2 * kFrame};
    const double within = compare(u.view().part(inside), s.clean.view().part(inside)).mse;
    const auto all = static_cast<double>(u.shape().pixels()), inner = static_cast<double>(inside.width) * inside.height;
    frame_.add(-10 * std::log10((whole.mse * all - within * inner) / (all - inner) / within));
    for (const std::string& psf : b_.wrong)
      wrong_.add(compare(run("plug_and_play", psf), s.clean).psnr - compare(run("wiener", psf), s.clean).psnr);
    if (asked_.each) std::printf(" plug_and_play %.2f", whole.psnr);
  }

  const Blurred& b_;
  const Asked& asked_;
  std::map<std::string, Spread> psnr_, loss_;
  Spread prior_, gain_, frame_, wrong_, seconds_;
};

}  // namespace

int main(int argc, char** argv) {
  CLI::App app{"Measures what restorations reach with their defaults over a folder of good pictures."};
  Asked asked;
  app.add_option("FOLDER", asked.folder, "good pictures, of any format that is read")->required();
  app.add_option("--side", asked.side, "their middle, of so many pixels to a side")->check(CLI::Range(64, 4096));
  app.add_option("--only", asked.only, "one blur, by its name: gaussian, disk, motion or box");
  app.add_flag("--color", asked.color, "in color, and not their luma");
  app.add_flag("--each", asked.each, "a line for each picture, too");
  app.add_flag("!--no-best", asked.best, "without the search for the best settings");
  app.add_flag("!--no-prior", asked.prior, "without plug_and_play");
  app.add_flag("!--not-told", asked.told, "the noise is not told, and measured");
  CLI11_PARSE(app, argc, argv);
  try {
    const std::vector<std::filesystem::path> files = files_of(asked.folder);
    for (const Blurred& b : all_blurs()) {
      if (!asked.only.empty() && b.name != asked.only) continue;
      Bench bench(b, asked);
      for (std::size_t i = 0; i < files.size(); ++i) bench.picture(files[i], i + 1);
      bench.print();
    }
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
  return 0;
}
