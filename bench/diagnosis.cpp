// How often diagnose() is right: every trouble made at three strengths in every picture of a folder, gray or color, and
// what the first chain that is proposed gains. Usage: diagnosis FOLDER, see --help.

#include <CLI/CLI.hpp>
#include <algorithm>
#include <array>
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

constexpr std::size_t kStrengths = 3;
// From here on a finding counts as told.
constexpr double kTold = 0.5;

// One way to damage a picture.
struct Damage {
  std::string name;
  Trouble trouble;
  std::array<std::string, kStrengths> strengths;
  std::function<Image(const Image& clean, const std::string& strength, std::uint64_t seed)> make;
  std::vector<Trouble> also = {};  // what is no false alarm beside it
};

// As an 8-bit file has it.
Image as_file(const Image& v) {
  std::vector<std::uint8_t> bytes(v.shape().samples());
  (void)to_interleaved(v, bytes.data());
  return from_interleaved(bytes.data(), v.width(), v.height(), v.channels());
}

// By a chain, in which {} stands for the strength and {seed} for a number.
auto by(const std::string& chain) {
  return [chain](const Image& clean, const std::string& strength, std::uint64_t seed) {
    std::string text = chain;
    for (const auto& [mark, value] :
         {std::pair<std::string, std::string>{"{}", strength}, {"{seed}", std::to_string(seed)}}) {
      if (const auto at = text.find(mark); at != std::string::npos) text.replace(at, mark.size(), value);
    }
    return as_file(Chain::parse(text)(clean));
  };
}

Image jpeg(const Image& clean, const std::string& quality, std::uint64_t) {
  const auto bytes = io::encode(io::Format::jpeg, clean, {.quality = std::stoi(quality)});
  return io::decode(bytes.data(), bytes.size(), "made.jpg").image;
}

// A factor for each channel; gray pictures stay.
Image tinted(const Image& clean, const std::string& factors, std::uint64_t) {
  float factor[3] = {1, 1, 1};
  if (clean.shape().color_channels() == 3) std::sscanf(factors.c_str(), "%f,%f,%f", &factor[0], &factor[1], &factor[2]);
  Image out = clean;
  for (int c = 0; c < out.shape().color_channels(); ++c) {
    for (int y = 0; y < out.height(); ++y) {
      for (int x = 0; x < out.width(); ++x) out.at(x, y, c) *= factor[c];
    }
  }
  return as_file(out);
}

std::vector<Damage> all_damages() {
  const std::vector<Trouble> any_grain = {Trouble::grain, Trouble::photon_grain, Trouble::coarse_grain};
  const auto blurred = [](const std::string& family) {
    return by("blur psf=" + family + ":{} then gaussian_noise deviation=0.01 seed={seed}");
  };
  return {{"dead_lines",
           Trouble::dead_lines,
           {"share=0.003", "share=0.01", "along=rows level=1 share=0.01"},
           by("dead_lines {}")},
          {"impulse_noise",
           Trouble::impulses,
           {"dark=0.005 bright=0.005", "dark=0.02 bright=0.02", "dark=0.06 bright=0.06"},
           by("impulse_noise {} seed={seed}")},
          {"periodic_noise",
           Trouble::periodic_noise,
           {"amplitude=0.02 angle=70", "amplitude=0.05 period=5", "amplitude=0.1 angle=20"},
           by("periodic_noise {}")},
          {"vignette", Trouble::uneven_light, {"strength=0.4", "strength=0.6", "strength=0.8"}, by("vignette {}")},
          {"gaussian_noise",
           Trouble::grain,
           {"deviation=0.02", "deviation=0.05", "deviation=0.1"},
           by("gaussian_noise {} seed={seed}")},
          {"poisson_noise",
           Trouble::photon_grain,
           {"photons=300", "photons=100", "photons=30"},
           by("poisson_noise {} seed={seed}"),
           // Counts have few levels.
           {Trouble::grain, Trouble::few_levels}},
          {"coarse noise",
           Trouble::coarse_grain,
           {"deviation=0.02", "deviation=0.05", "deviation=0.1"},
           by("gaussian_noise sigma=0.8 {} seed={seed}")},
          {"gaussian", Trouble::blur, {"sigma=1.5", "sigma=2", "sigma=2.5"}, blurred("gaussian"), any_grain},
          {"disk", Trouble::blur, {"radius=2.5", "radius=3.2", "radius=4"}, blurred("disk"), any_grain},
          {"motion",
           Trouble::blur,
           {"length=9,angle=25", "length=12,angle=70", "length=15,angle=110"},
           blurred("motion"),
           any_grain},
          {"jpeg", Trouble::blocks, {"50", "25", "10"}, jpeg},
          {"unsharp",
           Trouble::halos,
           {"sigma=1 amount=1", "sigma=1 amount=2", "sigma=2 amount=2"},
           by("unsharp {}"),
           // It raises what grain there is.
           any_grain},
          {"dark", Trouble::exposure, {"0.5", "0.35", "0.2"}, by("gain factor={}")},
          {"low contrast", Trouble::exposure, {"0.6", "0.4", "0.25"}, by("contrast factor={}")},
          {"tint", Trouble::tint, {"1,0.85,0.7", "1,0.7,0.5", "0.6,0.8,1"}, tinted},
          // What was spread over more levels leaves some empty, and may end far from black.
          {"clipped",
           Trouble::clipping,
           {"1.3", "1.7", "2.5"},
           by("gain factor={}"),
           {Trouble::few_levels, Trouble::exposure}},
          {"few levels", Trouble::few_levels, {"6", "5", "4"}, by("quantize bits={}")}};
}

// Right within 10 % of the size and 5 degrees of the angle.
bool same_size(const FoundPsf& found, const std::string& truth) {
  const double size = std::stod(truth.substr(truth.find('=') + 1));
  const auto at = truth.find("angle=");
  const double turn = at == std::string::npos ? 0 : std::remainder(found.angle - std::stod(truth.substr(at + 6)), 180);
  return std::abs(found.size / size - 1) < 0.1 && std::abs(turn) < 5;
}

// What was counted over all pictures and damages.
class Tally {
 public:
  Diagnosis timed(const Image& in) {
    Diagnosis d;
    time_ += seconds([&] { d = diagnose(in); });
    ++calls_;
    return d;
  }
  void count(const Finding& f, bool right) {
    Bin& b = bins_[static_cast<std::size_t>(std::min(9.0, 10 * f.confidence))];
    ++b.told;
    b.right += right;
  }
  void print() const {
    std::printf("\nconfidence of findings, and how many of them were right:");
    for (std::size_t k = 0; k < bins_.size(); ++k) {
      if (bins_[k].told > 0)
        std::printf("  %.1f: %d, %.0f %%", 0.1 * static_cast<double>(k), bins_[k].told,
                    100.0 * bins_[k].right / bins_[k].told);
    }
    std::printf("\n%.3f s a diagnosis\n", time_ / calls_);
  }

 private:
  struct Bin {
    int told = 0, right = 0;
  };
  std::array<Bin, 10> bins_;
  double time_ = 0;
  int calls_ = 0;
};

struct Asked {
  std::string folder, only;
  bool gray = false, each = false, gains = true;
  int side = 0;
};

struct Picture {
  std::string name;
  Image image;
  Diagnosis diagnosis;  // of it as it is
};

std::vector<Picture> good_pictures(const Asked& asked, Tally& tally) {
  std::vector<Picture> pictures;
  std::map<Trouble, int> false_alarms;
  int with_proposals = 0;
  for (const auto& f : files_of(asked.folder)) {
    Image in = io::read(f.string()).image;
    if (asked.gray) in = to_gray(in);
    const int w = asked.side > 0 ? std::min(asked.side, in.width()) : in.width(),
              h = asked.side > 0 ? std::min(asked.side, in.height()) : in.height();
    Image part = as_file(Image(in.view().part({(in.width() - w) / 2, (in.height() - h) / 2, w, h})));
    Diagnosis d = tally.timed(part);
    for (const Finding& g : d.findings) {
      tally.count(g, false);
      if (g.confidence >= kTold) ++false_alarms[g.trouble];
      if (asked.each)
        std::printf("%s: %s %.2f: %s\n", f.filename().c_str(), name_of(g.trouble), g.confidence, g.evidence.c_str());
    }
    with_proposals += !d.proposals.empty();
    pictures.push_back({f.filename().string(), std::move(part), std::move(d)});
  }
  std::printf("%zu good pictures: %d with a proposal; false alarms:", pictures.size(), with_proposals);
  for (const auto& [trouble, n] : false_alarms) std::printf(" %s %d", name_of(trouble), n);
  std::printf("\n");
  return pictures;
}

// A line of the table: one damage in all pictures.
void measure(const Damage& m, const std::vector<Picture>& pictures, const Asked& asked, Tally& tally) {
  int all = 0, found = 0, kind = 0, sized = 0, proposed = 0, gained = 0, harmed = 0;
  double gains[kStrengths] = {}, worst = 0, known = 0;
  for (std::size_t i = 0; i < pictures.size(); ++i) {
    const Picture& p = pictures[i];
    for (std::size_t s = 0; s < kStrengths; ++s) {
      const Image damaged = m.make(p.image, m.strengths[s], 100 + kStrengths * i + s);
      const Diagnosis d = tally.timed(damaged);
      ++all;
      if (asked.each) std::printf("%s %s %s:", p.name.c_str(), m.name.c_str(), m.strengths[s].c_str());
      for (const Finding& f : d.findings) {
        const bool right = f.trouble == m.trouble;
        if (asked.each) std::printf(" %s %.2f", name_of(f.trouble), f.confidence);
        found += right && f.confidence >= kTold;
        // What was told of the picture as it is was counted there.
        if (right || std::find(m.also.begin(), m.also.end(), f.trouble) != m.also.end()) {
          tally.count(f, true);
        } else if (p.diagnosis.find(f.trouble) == nullptr) {
          tally.count(f, false);
        }
      }
      if (asked.each) std::printf("\n");
      const bool blur = m.trouble == Trouble::blur && !d.blurs.empty();
      if (blur && d.blurs[0].family == m.name) {
        ++kind;
        sized += same_size(d.blurs[0], m.strengths[s]);
      }
      proposed += !d.proposals.empty();
      if (!asked.gains) continue;
      const double before = psnr(damaged, p.image);
      if (blur)
        known += psnr(Wiener{.psf = Kernel::parse(m.name + ":" + m.strengths[s]), .border = Border::taper}(damaged),
                      p.image) -
                 before;
      if (d.proposals.empty()) continue;
      const double gain = psnr(d.proposals[0].chain(damaged), p.image) - before;
      if (asked.each) std::printf("   %+.2f dB by %s\n", gain, d.proposals[0].chain.text().c_str());
      gains[s] += gain / static_cast<double>(pictures.size());
      worst = std::min(worst, gain);
      gained += gain > 0;
      harmed += gain < -0.3;
    }
  }
  const auto share = [](int n, int of) { return of > 0 ? 100.0 * n / of : 0; };
  std::printf("%-15s %4.0f %% %7.0f %%", m.name.c_str(), share(found, all), share(proposed, all));
  if (asked.gains)
    std::printf(" | %6.2f %6.2f %6.2f %7.2f %5.0f %% %5.0f %%", gains[0], gains[1], gains[2], worst,
                share(gained, proposed), share(harmed, proposed));
  if (m.trouble == Trouble::blur) {
    std::printf(" | kind %.0f %%, size of those %.0f %%", share(kind, all), share(sized, kind));
    if (asked.gains) std::printf(", wiener with the true PSF %.2f", known / all);
  }
  std::printf("\n");
  std::fflush(stdout);
}

}  // namespace

int main(int argc, char** argv) {
  CLI::App app{"Measures how often the diagnosis of damaged pictures is right, and what its first chain gains."};
  Asked asked;
  app.add_option("FOLDER", asked.folder, "good pictures, of any format that is read")->required();
  app.add_flag("--gray", asked.gray, "their luma alone");
  app.add_option("--side", asked.side, "their middle, of so many pixels to a side");
  app.add_option("--only", asked.only, "one damage, by the name of its line");
  app.add_flag("--each", asked.each, "lines for each picture, too");
  app.add_flag("!--no-gains", asked.gains, "diagnose alone, without running the chains");
  CLI11_PARSE(app, argc, argv);
  try {
    Tally tally;
    const std::vector<Picture> pictures = good_pictures(asked, tally);
    std::printf("\n%-15s %6s %9s%s\n", "damage", "found", "proposed",
                asked.gains ? " | gain of the first chain at three strengths, worst; gained, harmed" : "");
    for (const Damage& m : all_damages()) {
      if (asked.only.empty() || m.name == asked.only) measure(m, pictures, asked, tally);
    }
    tally.print();
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
  return 0;
}
