// How often diagnose() is right: every trouble made at three strengths in every picture of a folder, gray or color, and
// what the first chain that is proposed gains. Usage: diagnosis FOLDER, see --help.

#include <CLI/CLI.hpp>
#include <algorithm>
#include <array>
#include <cstdio>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "measure.hpp"
#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

using namespace sieve;
using namespace sieve::bench;

namespace {

// What is done to a picture: a chain, or with a number, a JPEG of that quality.
struct Made {
  Trouble trouble;
  std::string name;
  std::array<std::string, 3> strengths;
  std::string before = {}, after = {};
};

std::vector<Made> all_troubles() {
  const std::string grain = " then gaussian_noise deviation=0.01 seed=";
  return {{Trouble::dead_lines, "dead_lines", {"share=0.003", "share=0.01", "along=rows level=1 share=0.01"}},
          {Trouble::impulses,
           "impulse_noise",
           {"dark=0.005 bright=0.005", "dark=0.02 bright=0.02", "dark=0.06 bright=0.06"}},
          {Trouble::periodic_noise,
           "periodic_noise",
           {"amplitude=0.02 angle=70", "amplitude=0.05 period=5", "amplitude=0.1 angle=20"}},
          {Trouble::uneven_light, "vignette", {"strength=0.4", "strength=0.6", "strength=0.8"}},
          {Trouble::grain, "gaussian_noise", {"deviation=0.02", "deviation=0.05", "deviation=0.1"}},
          {Trouble::photon_grain, "poisson_noise", {"photons=300", "photons=100", "photons=30"}},
          {Trouble::coarse_grain, "gaussian_noise sigma=0.8", {"deviation=0.02", "deviation=0.05", "deviation=0.1"}},
          {Trouble::blur, "gaussian", {"sigma=1.5", "sigma=2", "sigma=2.5"}, "blur psf=gaussian:", grain},
          {Trouble::blur, "disk", {"radius=2.5", "radius=3.2", "radius=4"}, "blur psf=disk:", grain},
          {Trouble::blur,
           "motion",
           {"length=9,angle=25", "length=12,angle=70", "length=15,angle=110"},
           "blur psf=motion:",
           grain},
          {Trouble::blocks, "jpeg", {"50", "25", "10"}},
          {Trouble::halos, "unsharp", {"sigma=1 amount=1", "sigma=1 amount=2", "sigma=2 amount=2"}},
          {Trouble::exposure, "dark", {"0.5", "0.35", "0.2"}, "gain factor="},
          {Trouble::exposure, "low contrast", {"0.6", "0.4", "0.25"}, "contrast factor="},
          {Trouble::tint, "tint", {"1,0.85,0.7", "1,0.7,0.5", "0.6,0.8,1"}, "channel_gains factors="},
          {Trouble::clipping, "clipped", {"1.3", "1.7", "2.5"}, "gain factor="},
          {Trouble::few_levels, "few levels", {"6", "5", "4"}, "quantize bits=", " then stretch low=0 high=1"}};
}

// As an 8-bit file has it.
Image as_file(const Image& v) {
  std::vector<std::uint8_t> bytes(v.shape().samples());
  (void)to_interleaved(v, bytes.data());
  return from_interleaved(bytes.data(), v.width(), v.height(), v.channels());
}

Image made(const Made& m, std::size_t strength, const Image& clean, std::size_t number) {
  const std::string& s = m.strengths[strength];
  if (m.trouble == Trouble::blocks) {
    const auto bytes = io::encode(io::Format::jpeg, clean, {.quality = std::stoi(s)});
    return io::decode(bytes.data(), bytes.size(), "made.jpg").image;
  }
  if (m.trouble == Trouble::tint) {
    std::array<float, 3> factor{};
    std::sscanf(s.c_str(), "%f,%f,%f", &factor[0], &factor[1], &factor[2]);
    Image out = clean;
    for (int c = 0; c < out.shape().color_channels() && c < 3; ++c) {
      for (int y = 0; y < out.height(); ++y) {
        for (int x = 0; x < out.width(); ++x) out.at(x, y, c) *= factor[static_cast<std::size_t>(c)];
      }
    }
    return as_file(out);
  }
  std::string chain = (m.before.empty() ? m.name + " " : m.before) + s + m.after;
  if (chain.ends_with("seed=")) chain += std::to_string(100 + number);
  return as_file(Chain::parse(chain)(clean));
}

struct Row {
  int pictures = 0, found = 0, right = 0, sized = 0, gained = 0, harmed = 0, proposed = 0;
  double gain = 0, worst = 0, best_gain = 0;
};

struct Bin {
  int told = 0, right = 0;
};

// The true blur of a damaged picture, as a PSF's text.
std::string true_psf(const Made& m, std::size_t strength) { return m.name + ":" + m.strengths[strength]; }

bool same_size(const FoundPsf& f, const std::string& truth) {
  const Kernel k = Kernel::parse(truth);
  double size = 0, angle = 0;
  std::sscanf(truth.substr(truth.find('=') + 1).c_str(), "%lf", &size);
  if (const auto at = truth.find("angle="); at != std::string::npos) angle = std::stod(truth.substr(at + 6));
  const double turn = std::fmod(std::abs(f.angle - angle), 180);
  return std::abs(f.size / size - 1) < 0.1 && std::min(turn, 180 - turn) < 5;
}

}  // namespace

int main(int argc, char** argv) {
  CLI::App app{"Measures how often the diagnosis of damaged pictures is right, and what its first chain gains."};
  std::string folder, only;
  bool gray = false, each = false, gains = true;
  int side = 0;
  app.add_option("FOLDER", folder, "good pictures, of any format that is read")->required();
  app.add_flag("--gray", gray, "their luma alone");
  app.add_option("--side", side, "their middle, of so many pixels to a side");
  app.add_option("--only", only, "one trouble, by the name of its row");
  app.add_flag("--each", each, "a line for each picture");
  app.add_flag("!--no-gains", gains, "diagnose alone, without running the chains");
  CLI11_PARSE(app, argc, argv);

  std::vector<std::filesystem::path> files;
  for (const auto& f : std::filesystem::directory_iterator(folder)) {
    if (f.is_regular_file()) files.push_back(f.path());
  }
  std::sort(files.begin(), files.end());
  std::vector<Image> pictures;
  for (const auto& f : files) {
    Image in = io::read(f.string()).image;
    if (gray) in = to_gray(in);
    const int w = side > 0 ? std::min(side, in.width()) : in.width(),
              h = side > 0 ? std::min(side, in.height()) : in.height();
    pictures.push_back(as_file(Image(in.view().part({(in.width() - w) / 2, (in.height() - h) / 2, w, h}))));
  }

  double time = 0;
  int calls = 0;
  const auto timed = [&](const Image& in) {
    Diagnosis d;
    time += seconds([&] { d = diagnose(in); });
    ++calls;
    return d;
  };
  std::array<Bin, 10> bins;
  const auto count = [&bins](double confidence, bool right) {
    Bin& b = bins[static_cast<std::size_t>(std::min(9.0, 10 * confidence))];
    ++b.told;
    b.right += right;
  };

  std::map<Trouble, int> false_alarms;
  int with_proposals = 0, sharp_called_blurred = 0;
  for (std::size_t i = 0; i < pictures.size(); ++i) {
    const Diagnosis d = timed(pictures[i]);
    for (const Finding& f : d.findings) {
      count(f.confidence, false);
      if (f.confidence >= 0.5) ++false_alarms[f.trouble];
      if (each)
        std::printf("%s: %s %.2f: %s\n", files[i].filename().c_str(), name_of(f.trouble), f.confidence,
                    f.evidence.c_str());
    }
    with_proposals += !d.proposals.empty();
    const Finding* blur = d.find(Trouble::blur);
    sharp_called_blurred += blur != nullptr && blur->confidence >= 0.5;
    if (each && !d.proposals.empty()) std::printf("   %s\n", d.proposals[0].chain.text().c_str());
  }
  std::printf("%zu good pictures: %d with a proposal, %d called blurred; false alarms:", pictures.size(),
              with_proposals, sharp_called_blurred);
  for (const auto& [trouble, n] : false_alarms) std::printf(" %s %d", name_of(trouble), n);
  std::printf("\n\n%-18s %7s %7s %7s %9s | gain of the first chain: %6s %6s %6s %6s\n", "trouble", "found", "kind",
              "size", "proposed", "mean", "worst", "gained", "harmed");
  for (const Made& m : all_troubles()) {
    if (!only.empty() && m.name != only) continue;
    Row r;
    for (std::size_t i = 0; i < pictures.size(); ++i) {
      if (m.trouble == Trouble::tint && pictures[i].channels() < 3) continue;
      for (std::size_t strength = 0; strength < m.strengths.size(); ++strength) {
        const Image damaged = made(m, strength, pictures[i], 3 * i + strength);
        const Diagnosis d = timed(damaged);
        const Finding* f = d.find(m.trouble);
        ++r.pictures;
        const bool found = f != nullptr && f->confidence >= 0.5;
        r.found += found;
        if (f != nullptr) count(f->confidence, true);
        if (each) {
          std::printf("%s %s %s:", files[i].filename().c_str(), m.name.c_str(), m.strengths[strength].c_str());
          for (const Finding& g : d.findings)
            std::printf(" %s %.2f (%s)", name_of(g.trouble), g.confidence,
                        g.trouble == Trouble::blur ? g.evidence.c_str() : "");
          std::printf("\n");
        }
        if (m.trouble == Trouble::blur && !d.blurs.empty()) {
          const bool kind = d.blurs[0].family == m.name;
          r.right += kind;
          r.sized += kind && same_size(d.blurs[0], true_psf(m, strength));
        } else {
          r.right += found;
        }
        if (d.proposals.empty()) continue;
        ++r.proposed;
        if (!gains) continue;
        const double before = psnr(damaged, pictures[i]),
                     gain = psnr(d.proposals[0].chain(damaged), pictures[i]) - before;
        if (each) std::printf("   %+.2f dB by %s\n", gain, d.proposals[0].chain.text().c_str());
        r.gain += gain;
        r.worst = std::min(r.worst, gain);
        r.gained += gain > 0;
        r.harmed += gain < -0.3;
        if (m.trouble == Trouble::blur) {
          const Chain known{Wiener{.psf = Kernel::parse(true_psf(m, strength)), .border = Border::taper}};
          r.best_gain += psnr(known(damaged), pictures[i]) - before;
        }
      }
    }
    if (r.pictures == 0) continue;
    const auto share = [&](int n, int of) { return of > 0 ? 100.0 * n / of : 0; };
    std::printf("%-18s %5.0f %% %5.0f %% %5.0f %% %7.0f %% | %32.2f %6.2f %4.0f %% %4.0f %%", m.name.c_str(),
                share(r.found, r.pictures), share(r.right, r.pictures), share(r.sized, std::max(1, r.right)),
                share(r.proposed, r.pictures), r.gain / r.pictures, r.worst, share(r.gained, r.proposed),
                share(r.harmed, r.proposed));
    if (m.trouble == Trouble::blur)
      std::printf("  wiener with the true PSF %.2f", r.best_gain / std::max(1, r.proposed));
    std::printf("\n");
    std::fflush(stdout);
  }
  std::printf("\nconfidence of findings, and how many of them were right:");
  for (std::size_t k = 0; k < bins.size(); ++k) {
    if (bins[k].told > 0)
      std::printf("  %.1f: %d, %.0f %%", 0.1 * static_cast<double>(k), bins[k].told,
                  100.0 * bins[k].right / bins[k].told);
  }
  std::printf("\n%.3f s a diagnosis\n", time / calls);
  return 0;
}
