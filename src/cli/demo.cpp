#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <chrono>
#include <filesystem>

#include "cli/session.hpp"
#include "sieve/cli.hpp"

namespace sieve::internal::cli {

namespace {

namespace fs = std::filesystem;

struct DemoArguments {
  std::string into = "out/demo", data;
};

struct Scene {
  const char* title;
  const char* lesson;
  std::vector<std::string> words;  // {d} is the data folder, {o} the output folder
};

const std::vector<Scene>& scenes() {
  static const std::vector<Scene> all = {
      {"Look at the noon view",
       "Range, histogram and exposure come first: this one is balanced.",
       {"look", "{d}/noon.png", "--at", "520,150", "--sheet", "{o}/look.png"}},
      {"Look at the troubled ones",
       "Fog spans few levels; the over- and underexposed views pile up at one end.",
       {"look", "{d}/fog.png", "{d}/overexposed.png", "{d}/underexposed.png", "{d}/night.png", "{d}/dead_pixels.png",
        "{d}/negative.png", "--sheet", "{o}/troubles.png"}},
      {"Edges, made fit to view",
       "A Laplacian answers to change alone; half of its results lie below 0 and are kept until stretch maps them.",
       {"apply", "{d}/noon.png", "{o}/edges.png", "gray", "then", "convolve", "kernel=laplacian", "then", "stretch",
        "percent=0.5", "then", "clip", "--sheet", "{o}/edges_steps.png"}},
      {"Sharpen, and see the overshoot",
       "The kernel's sum is 1, yet results leave 0..1 at edges: they are tinted, counted, and only clip cuts them.",
       {"apply", "{d}/noon.png", "{o}/sharp.png", "gray", "then", "convolve", "kernel=sharpen", "then", "clip",
        "--sheet", "{o}/sharpen_steps.png"}},
      {"How a chain will run",
       "Point and window filters go through the picture together, strip by strip; what measures it begins anew.",
       {"apply", "{d}/noon.png", "{o}/planned.png", "median", "then", "unsharp", "then", "stretch", "then", "gamma",
        "--plan"}},
      {"Derivatives",
       "Noise first: a little Gaussian, then magnitude of the gradient.",
       {"apply", "{d}/noon.png", "{o}/gradient.png", "gray", "then", "gaussian", "sigma=1.2", "then",
        "gradient_magnitude", "by=scharr", "then", "stretch", "percent=1", "then", "clip", "--sheet",
        "{o}/gradient_steps.png"}},
      {"Fog lifted",
       "1 percent is left out at each end, so that a few extreme samples do not set the range.",
       {"apply", "{d}/fog.png", "{o}/fog_lifted.png", "stretch", "percent=1", "then", "clip", "--sheet",
        "{o}/fog_steps.png"}},
      {"The dark frame",
       "A zero border darkens the edge of every smoothed picture; edge, the default, does not.",
       {"apply", "{d}/fog.png", "{o}/frame.png", "gaussian", "sigma=24", "border=zero", "--sheet",
        "{o}/frame_zero.png"}},
      {"To a notebook and back",
       "An array of floats keeps what lies above 1 and below 0; the next command takes it as it is.",
       {"apply", "{d}/noon.png", "{o}/sharp.npy", "unsharp", "--depth", "float"}},
      {"", "", {"apply", "{o}/sharp.npy", "{o}/sharp_small.png", "clip", "--compression", "small", "--depth", "8"}},
      {"On a device, where there is one",
       "One upload, three kernels, one download; processors do it on a machine without OpenCL.",
       {"apply", "{d}/noon.png", "{o}/device.png", "contrast", "then", "gamma", "exponent=0.8", "then", "clip", "then",
        "gaussian", "sigma=2", "--device", "any", "--device-or-cpu"}},
      {"Damage with a known truth",
       "Grain of deviation 25/255 with a fixed seed: the same noise on every machine, and on record in the file.",
       {"apply", "{d}/noon.png", "{o}/noisy.png", "gaussian_noise", "deviation=0.098", "seed=7"}},
      {"Candidates side by side",
       "On the same noisy input, against the truth: figures, time, the same detail; the best is marked.",
       {"lineup", "{o}/noisy.png", "--truth", "{d}/noon.png", "gaussian", "sigma=0.8", "or", "box", "radius=1", "or",
        "gaussian", "sigma=2", "--sheet", "{o}/lineup.png"}},
      {"A slider's worth of values",
       "Every run starts from the untouched input; the curve shows where too little becomes too much.",
       {"sweep", "{o}/noisy.png", "--truth", "{d}/noon.png", "gaussian", "sigma=0.4..2.5:8", "--sheet", "{o}/sweep.png",
        "--page", "{o}/sweep.html"}},
      {"Grain: what keeps edges",
       "The same noise, filters that set themselves by the noise they measure: each is better at something.",
       {"lineup", "{o}/noisy.png", "--truth", "{d}/noon.png", "block_matching", "or", "nonlocal_means", "or",
        "total_variation", "or", "bilateral", "or", "guided", "or", "gaussian", "sigma=1", "--sheet",
        "{o}/denoise.png"}},
      {"Blocks that are alike, together",
       "The first pass, and what both took away: where structure shows there, too much went.",
       {"apply", "{o}/noisy.png", "{o}/blocks.png", "block_matching", "--sheet", "{o}/block_matching.png"}},
      {"Grain that is alike in neighbors",
       "Film, cameras and JPEG make it: left alone, block_matching measures its spectrum in the flat parts of the "
       "picture; taken for white noise, it stays as blotches.",
       {"apply", "{d}/noon.png", "{o}/coarse.png", "gaussian_noise", "deviation=0.08", "sigma=1", "seed=7"}},
      {"",
       "",
       {"lineup", "{o}/coarse.png", "--truth", "{d}/noon.png", "block_matching", "noise=0.08", "or", "block_matching",
        "or", "block_matching", "by=singular", "effort=fast", "or", "nonlocal_means", "--sheet",
        "{o}/coarse_sheet.png"}},
      {"Impulses: what sorts",
       "A median drops them, a Gaussian spreads them; the adaptive one leaves good pixels alone.",
       {"apply", "{d}/noon.png", "{o}/impulses.png", "impulse_noise", "dark=0.05", "bright=0.05", "seed=3"}},
      {"",
       "",
       {"lineup", "{o}/impulses.png", "--truth", "{d}/noon.png", "median", "or", "adaptive_median", "or", "gaussian",
        "sigma=1.5", "--sheet", "{o}/impulses_sheet.png"}},
      {"Sharpening, stage by stage",
       "Blur, signed mask and result; how many samples left 0..1 is told, and only clip cuts them.",
       {"apply", "{d}/out_of_focus.png", "{o}/sharpened.png", "unsharp", "sigma=2.5", "amount=1.5", "then", "clip",
        "--sheet", "{o}/unsharp.png"}},
      {"The same chain again",
       "The record in a written picture runs anew on another input.",
       {"apply", "--again", "{o}/noisy.png", "{d}/fog.png", "{o}/noisy_fog.png"}},
      {"The best candidate judged",
       "Gain over the damaged picture, where it differs most, and what a row looks like.",
       {"apply", "{o}/noisy.png", "{o}/smooth.png", "gaussian", "sigma=0.8"}},
      {"",
       "",
       {"judge", "{o}/smooth.png", "--truth", "{d}/noon.png", "--before", "{o}/noisy.png", "--sheet", "{o}/judge.png"}},
      {"A filter in one place only",
       "A group acts on a rectangle (or, with mask=, softly): here the name on the board is hidden.",
       {"apply", "{d}/noon.png", "{o}/hidden.png", "within", "part=30,352,192,60", "then", "box", "radius=9", "then",
        "end", "--sheet", "{o}/within.png"}},
      {"Fast against plain",
       "A filter against its textbook definition: largest deviation, tolerance, how many times faster. `lsieve verify` "
       "alone takes all filters in turn.",
       {"verify", "gaussian", "sigma=2", "{d}/night.png"}},
      {"", "", {"verify", "median", "radius=4"}},
      {"Equalization worked out",
       "A 3-bit picture: count, cumulative share, times 7, rounded; then the map on a sheet.",
       {"levels", "{d}/three_bit.pgm", "--sheet", "{o}/levels.png"}},
      {"A night view brought up",
       "Corrected as the figures ask for, which are told; then every part by a curve of its own, its contrast "
       "limited.",
       {"apply", "{d}/night.png", "{o}/night_local.png", "auto_exposure", "then", "clahe", "limit=2", "--sheet",
        "{o}/night_steps.png"}},
      {"One camera made to look like another",
       "The map through both cumulative curves: afterwards they lie on each other.",
       {"apply", "{d}/fog.png", "{o}/matched.png", "match", "with={d}/noon.png", "--sheet", "{o}/match.png"}},
      {"Uneven light, by a flat frame",
       "Divided by a picture of the empty page under the same lamp: flatness before and after is told.",
       {"apply", "{d}/lamp.png", "{o}/lamp_even.png", "flat_field", "with={d}/lamp_flat.png", "--sheet",
        "{o}/flat_field.png"}},
      {"Uneven light, without one",
       "A smooth surface is guessed from the picture itself and divided out.",
       {"apply", "{d}/lamp.png", "{o}/lamp_guessed.png", "flatten", "by=polynomial", "then", "threshold", "--sheet",
        "{o}/flatten.png"}},
      {"Color at the same lightness",
       "One hue stays, the rest goes gray of the same lightness.",
       {"apply", "{d}/noon.png", "{o}/red_only.png", "keep_hue", "hue=29", "width=50", "--sheet", "{o}/keep_hue.png"}},
      {"A signed difference, kept so",
       "What a blur takes away, four times as strong: samples about 0, and so a file of floats.",
       {"apply", "{d}/noon.png", "{o}/difference.tif", "gaussian", "sigma=3", "then", "subtract", "with={d}/noon.png",
        "then", "gain", "factor=-4", "--sheet", "{o}/difference.png"}},
      {"Stripes in the spectrum",
       "The strongest waves with period and direction, the interference ringed.",
       {"look", "{d}/hum.png", "--spectrum", "--taper", "periodic", "--sheet", "{o}/spectrum.png"}},
      {"Stripes taken out",
       "Just the waves of the interference go: spectrum, transfer function, spectrum after, and what changed.",
       {"apply", "{d}/hum.png", "{o}/no_hum.png", "remove_periodic_noise", "--sheet", "{o}/periodic_noise.png"}},
      {"Cosine and wavelet coefficients",
       "Blocks of 8x8, and the nested bands of the 9/7 wavelet with their energies.",
       {"look", "{d}/noon.png", "--cosine", "8", "--wavelet", "9/7", "--sheet", "{o}/transforms.png"}},
      {"What to take",
       "The kind and level of the noise are measured; the chains that follow are run and judged.",
       {"advise", "{o}/noisy.png", "--truth", "{d}/noon.png", "--sheet", "{o}/advise.png"}},
      {"Four grays out of one smear",
       "Grain runs the peaks of the chart's histogram together; a good denoiser parts them.",
       {"apply", "{d}/chart.png", "{o}/chart_clean.png", "total_variation", "--sheet", "{o}/chart.png"}},
      {"Can it be undone?",
       "What blurs leave of each frequency, and the verdict before anything is divided.",
       {"psf", "gaussian:sigma=0.6", "disk:radius=5", "motion:length=15,angle=25", "--size", "768x512", "--picture",
        "{d}/out_of_focus.png", "--sheet", "{o}/psf.png"}},
      {"A known blur undone",
       "The inverse raises the noise beyond all measure; Wiener, least squares and Richardson-Lucy weigh it.",
       {"apply", "{d}/noon.png", "{o}/blurred.pfm", "blur", "psf=gaussian:sigma=1.5", "border=mirror", "then",
        "gaussian_noise", "deviation=0.008", "seed=4"}},
      {"",
       "",
       {"lineup",
        "{o}/blurred.pfm",
        "--truth",
        "{d}/noon.png",
        "inverse",
        "psf=gaussian:sigma=1.5",
        "force=yes",
        "or",
        "pseudo_inverse",
        "psf=gaussian:sigma=1.5",
        "threshold=0.1",
        "or",
        "wiener",
        "psf=gaussian:sigma=1.5",
        "or",
        "constrained_least_squares",
        "psf=gaussian:sigma=1.5",
        "or",
        "richardson_lucy",
        "psf=gaussian:sigma=1.5",
        "or",
        "total_variation_deconvolution",
        "psf=gaussian:sigma=1.5",
        "or",
        "plug_and_play",
        "psf=gaussian:sigma=1.5",
        "or",
        "nonlocal_means",
        "then",
        "wiener",
        "psf=gaussian:sigma=1.5",
        "or",
        "wiener",
        "psf=gaussian:sigma=1.5",
        "then",
        "nonlocal_means",
        "--sheet",
        "{o}/restore.png"}},
      {"A blur without noise",
       "Nothing stands in the way of the inverse but the rounding of floats.",
       {"apply", "{d}/noon.png", "{o}/soft.pfm", "blur", "psf=gaussian:sigma=1", "border=mirror"}},
      {"",
       "",
       {"lineup", "{o}/soft.pfm", "--truth", "{d}/noon.png", "inverse", "psf=gaussian:sigma=1", "or", "pseudo_inverse",
        "psf=gaussian:sigma=1", "threshold=0.1", "or", "wiener", "psf=gaussian:sigma=1", "ratio=0.001"}},
      {"A threshold, step by step",
       "Each from the untouched picture: too low lets the noise in, too high leaves the detail out.",
       {"sweep", "{o}/blurred.pfm", "--truth", "{d}/noon.png", "pseudo_inverse", "psf=gaussian:sigma=1.5",
        "threshold=0.02..0.5:7:log"}},
      {"How a weight is found",
       "Residual, cross-validation and L-curve over the weight, with the choice of each.",
       {"apply", "{o}/blurred.pfm", "{o}/weighed.pfm", "constrained_least_squares", "psf=gaussian:sigma=1.5", "--sheet",
        "{o}/weight.png"}},
      {"Which motion was it?",
       "The cepstrum of a shaken picture shows length and angle; the filter takes them.",
       {"find-psf", "{d}/shaken.png", "--sheet", "{o}/found.png"}},
      {"By what it is told",
       "Edges, grain over the level, spectrum and cepstrum of the shaken view: what the diagnosis rests on.",
       {"advise", "{d}/shaken.png", "--evidence", "{o}/evidence.png"}},
      {"A shake of any form",
       "Its weights one by one, from the edges alone: where a shake is not straight, no name describes it.",
       {"find-psf", "{d}/shaken.png", "--free", "21", "--sheet", "{o}/found_free.png"}},
      {"The same count of numbers",
       "Samples, cosine and wavelet coefficients, singular vectors: what ten thousand of each show.",
       {"compaction", "{d}/noon.png", "--numbers", "10000", "--sheet", "{o}/compaction.png"}},
      {"Down to real bytes",
       "A packed file of half a bit a pixel, its size and quality, and back.",
       {"pack", "{d}/noon.png", "{o}/noon.lsv", "--rate", "0.5"}},
      {"", "", {"unpack", "{o}/noon.lsv", "{o}/unpacked.png"}},
      {"Bytes against quality",
       "Two methods over the rate, with baseline JPEG as the yardstick.",
       {"rate", "{d}/noon.png", "--by", "cosine", "wavelet", "--sheet", "{o}/rate.png"}},
      {"A whole folder",
       "Every picture of the folder through one chain; the journal beside the results lets a run that was stopped go "
       "on.",
       {"batch", "{d}", "--into", "{o}/batch", "--", "median", "radius=1", "then", "clip"}},
      {"How many terms it takes",
       "Singular values of a picture, and a picture of twenty of them.",
       {"apply", "{d}/noon.png", "{o}/rank.png", "low_rank", "rank=20", "then", "clip", "--sheet",
        "{o}/rank_steps.png"}},
      {"Kernels side by side",
       "Three Gaussians and a box with their profiles: each sums to 1, so none brightens or darkens.",
       {"kernel", "gaussian:sigma=0.8", "gaussian:sigma=1.6", "gaussian:sigma=3.2", "box:radius=2", "--sheet",
        "{o}/kernels.png"}},
  };
  return all;
}

std::string filled(std::string word, const std::string& data, const std::string& into) {
  for (const auto& [mark, folder] : {std::pair{"{d}", &data}, {"{o}", &into}}) {
    if (const std::size_t at = word.find(mark); at != std::string::npos) word.replace(at, 3, *folder);
  }
  return word;
}

// The data beside an installed tool, or in the source tree that built it.
std::string data_folder(const std::string& wish) {
  std::vector<std::string> tried;
  if (!wish.empty()) {
    tried.push_back(wish);
  } else {
    std::error_code ignored;
    const fs::path self = fs::read_symlink("/proc/self/exe", ignored);
    tried = {"data/demo", (self.parent_path().parent_path() / "share/lean-sieve/demo").string()};
  }
  for (const std::string& t : tried) {
    if (fs::exists(t + "/noon.png")) return t;
  }
  throw Error(fmt::format("the demo data (noon.png) is not in {}; say where with --data", listed(tried)));
}

int demo(const Session& session, const DemoArguments& o) {
  const std::string data = data_folder(o.data);
  std::error_code failed;
  fs::create_directories(o.into, failed);
  if (failed) throw Error(fmt::format("{}: cannot be made: {}", o.into, failed.message()));
  say("Brackholm Light, a coast station with fixed cameras: the example, from {} into {}\n", data, o.into);
  const auto start = std::chrono::steady_clock::now();
  int number = 0;
  for (std::size_t i = 0; i < scenes().size(); ++i) {
    const Scene& s = scenes()[i];
    std::vector<std::string> words = {"lsieve"};
    for (const std::string& w : s.words) words.push_back(filled(w, data, o.into));
    std::string line;
    for (const std::string& w : words) line += (line.empty() ? "" : " ") + w;
    // A scene without a title goes on with the one before.
    if (s.title[0] != 0) say("\n{}. {}\n   {}\n", ++number, s.title, s.lesson);
    say("   $ {}\n", line);
    std::fflush(stdout);
    std::vector<const char*> arguments;
    for (const std::string& w : words) arguments.push_back(w.c_str());
    const int code = sieve::cli::run(static_cast<int>(arguments.size()), arguments.data(), session.catalogue);
    if (code != 0) return code;
  }
  say("\nDone in {}. The sheets and pages to open:\n", time_text(seconds_since(start)));
  const char* title = "";
  for (const Scene& s : scenes()) {
    if (s.title[0] != 0) title = s.title;
    for (std::size_t i = 0; i + 1 < s.words.size(); ++i) {
      if (s.words[i] == "--sheet" || s.words[i] == "--page")
        say("  {:28} {}\n", filled(s.words[i + 1], data, o.into), title);
    }
  }
  return 0;
}

}  // namespace

Command declare_demo(CLI::App& root, Session& session) {
  auto o = std::make_shared<DemoArguments>();
  CLI::App* app = root.add_subcommand("demo", "The whole example on the shipped pictures, with an account and sheets.");
  app->add_option("--into", o->into, "folder for the results (default out/demo)");
  app->add_option("--data", o->data, "folder of the demo pictures");
  return {app, [o, &session] { return demo(session, *o); }};
}

}  // namespace sieve::internal::cli
