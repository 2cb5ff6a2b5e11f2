#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"
#include "sieve/restore/psf.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct PsfArguments {
  std::vector<std::string> specs;
  ExhibitFiles files;
  std::string size = "512x512", picture;
  bool json = false;
};

// A kernel's text, or a picture file.
Kernel psf_of(const Session& session, const std::string& spec) {
  if (io::format_of_name(spec)) return Kernel::of_picture(session.read(spec).image);
  const Kernel k = Kernel::parse(spec, session.resources());
  if (!(k.sum() > 0))
    throw InvalidArgument(
        fmt::format("{}: the PSF sums to {:g}; a point spread function has a sum above 0", spec, k.sum()));
  return k.normalized();
}

std::pair<int, int> size_of(const std::string& text) {
  const std::size_t x = text.find('x');
  const auto w = x == std::string::npos ? std::nullopt : internal::parse_whole(text.substr(0, x)),
             h = x == std::string::npos ? std::nullopt : internal::parse_whole(text.substr(x + 1));
  if (!w || !h || *w < 1 || *h < 1 || *w > 20000 || *h > 20000)
    throw InvalidArgument("--size " + text + ": give WxH in pixels, 1 to 20000 each");
  return {static_cast<int>(*w), static_cast<int>(*h)};
}

// |H| along fx, held at 1e-6.
StageCurve transfer_curve(const std::string& spec, const Kernel& k) {
  StageCurve c{spec, {}, {}};
  for (int i = 0; i <= 200; ++i) {
    c.x.push_back(i / 400.0);
    c.y.push_back(std::max(1e-6, std::abs(frequency_response(k, c.x.back(), 0))));
  }
  return c;
}

// log |H|, frequency 0 in the middle: 1 for |H| = 1, 0 for 1e-4 and less.
Image transfer_picture(const Kernel& k, int width, int height) {
  const DoubleSpectrum h = transfer_function(k, width, height);
  Image out(width, height);
  for (int y = 0; y < height; ++y) {
    for (int x = 0; x < width; ++x)
      out.at(x, y) = static_cast<float>(
          std::clamp(1 + std::log10(std::max(1e-9, std::abs(h.at(x - width / 2, y - height / 2)))) / 4, 0.0, 1.0));
  }
  return out;
}

int psf(const Session& session, const PsfArguments& o) {
  const auto [w, h] = size_of(o.size);
  std::vector<Kernel> kernels;
  for (const std::string& s : o.specs) kernels.push_back(psf_of(session, s));
  ordered_json all = ordered_json::array();
  Exhibit exhibit(o.files, "Point spread functions",
                  fmt::format("as weights, and the logarithm of their transfer function at {}x{} (white: all passes, "
                              "black: 1/10000 and less)",
                              w, h));
  std::vector<StageCurve> profiles, transfers;
  for (std::size_t i = 0; i < kernels.size(); ++i) {
    const Kernel& k = kernels[i];
    const Invertibility d = invertibility(k, w, h);
    if (o.json) {
      all.push_back({{"psf", o.specs[i]},
                     {"width", k.width()},
                     {"height", k.height()},
                     {"size", {w, h}},
                     {"verdict", name_of(d.verdict)},
                     {"smallest", d.smallest},
                     {"below_tenth", d.below_tenth},
                     {"below_hundredth", d.below_hundredth},
                     {"below_thousandth", d.below_thousandth},
                     {"zero", d.zero},
                     {"noise_gain", d.noise_gain}});
    } else {
      say("{}: {}x{}, at {}x{}: {}\n  {}\n", o.specs[i], k.width(), k.height(), w, h, name_of(d.verdict), d.reason);
    }
    if (!o.files.wanted()) continue;
    const std::string note =
        fmt::format("{}: smallest |H| {:.2g}, noise times {:.3g}", name_of(d.verdict), d.smallest, d.noise_gain);
    const Image transfer = transfer_picture(k, w, h);
    exhibit.kernel(o.specs[i], k, note, exhibit.has_sheet() ? draw::frequency_plane(transfer) : nullptr);
    if (exhibit.has_page())
      exhibit.on_page().add(
          {o.specs[i] + ", transfer function", transfer, page::Role::result, StageContent::frequencies, note});
    profiles.push_back(profile(o.specs[i], k));
    // Side by side they are compared in form: a wide one has small weights.
    const double most = *std::max_element(k.taps().begin(), k.taps().end());
    if (kernels.size() > 1 && most > 0) {
      for (double& v : profiles.back().y) v /= most;
    }
    transfers.push_back(transfer_curve(o.specs[i], k));
  }
  if (o.json) print_json(kernels.size() == 1 ? all[0] : all);
  if (!o.files.wanted()) return 0;
  const char* const weight = kernels.size() > 1 ? "weight, of the largest" : "weight";
  if (exhibit.has_sheet())
    exhibit.on_sheet({"profile, and gain along x", Exhibit::plot(profiles, "pixels from the anchor", weight), "",
                      Exhibit::plot(transfers, "cycles per pixel", "|H|", {.y = true})});
  if (exhibit.has_page()) {
    exhibit.on_page().add(page::Plot{"profile", std::move(profiles), "pixels from the anchor", weight});
    exhibit.on_page().add(page::Plot{"gain along x", std::move(transfers), "cycles per pixel", "|H|", "", false, true});
  }
  if (!o.picture.empty()) {
    const Image image = session.read(o.picture).image;
    exhibit.picture({"log spectrum of " + base_name(o.picture), spectrum_image(spectrum(image, Taper::periodic)),
                     page::Role::other, StageContent::frequencies});
  }
  exhibit.write();
  return 0;
}

}  // namespace

Command declare_psf(CLI::App& root, Session& session) {
  auto o = std::make_shared<PsfArguments>();
  CLI::App* app = root.add_subcommand(
      "psf", "What a point spread function leaves of each frequency, and whether that can be undone.");
  app->add_option("PSF", o->specs,
                  "gaussian:sigma=2, disk:radius=5, motion:length=15,angle=25, airy:radius=3, any kernel, @FILE, or a "
                  "picture file")
      ->required();
  app->add_option("--size", o->size, "WxH of the picture it is for (default 512x512)");
  app->add_option("--picture", o->picture, "on the sheet, beside it the spectrum of this picture");
  o->files.declare(app, "weights, profiles and transfer functions");
  app->add_flag("--json", o->json, "print JSON");
  app->footer("Example: lsieve psf disk:radius=5 --size 768x512 --sheet psf.png");
  return {app, [o, &session] { return psf(session, *o); }};
}

}  // namespace sieve::internal::cli
