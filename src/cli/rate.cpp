#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/exhibit.hpp"
#include "cli/session.hpp"
#include "sieve/pack.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct RateArguments {
  ExhibitFiles files;
  std::string in;
  std::vector<std::string> by = {"cosine", "wavelet", "svd", "pca"};
  bool json = false;
};

// One point of a curve.
struct Point {
  double bits = 0, psnr = 0, ssim = 0;
  std::uint64_t bytes = 0;
};
struct Method {
  std::string name;
  std::vector<Point> points;
};

Point point_of(const Image& back, const Image& image, std::uint64_t bytes) {
  return {8.0 * static_cast<double>(bytes) / static_cast<double>(image.shape().pixels()), compare(back, image).psnr,
          ssim(back, image), bytes};
}

// Bytes of a curve at a PSNR, between its points by the logarithm; 0 beyond its ends.
double bytes_at(const Method& m, double psnr) {
  for (std::size_t i = 1; i < m.points.size(); ++i) {
    const Point &a = m.points[i - 1], &b = m.points[i];
    if (psnr >= a.psnr && psnr <= b.psnr) {
      const double t = (psnr - a.psnr) / std::max(1e-9, b.psnr - a.psnr);
      return std::exp((1 - t) * std::log(static_cast<double>(a.bytes)) + t * std::log(static_cast<double>(b.bytes)));
    }
  }
  return 0;
}

// Baseline JPEG with optimized tables, with color at every or every fourth pixel: of both curves the points that the
// other does not reach with as few bytes.
Method jpeg_curve(const Image& image) {
  Method all{"jpeg", {}};
  if (image.shape().has_alpha()) return all;
  std::array<Method, 2> curves;
  for (const int quality : {3, 6, 10, 15, 20, 30, 40, 50, 60, 70, 80, 86, 90, 93, 95, 97}) {
    for (const bool full : {false, true}) {
      const auto bytes = io::encode(io::Format::jpeg, image, {.bits = 8, .quality = quality, .full_color = full});
      curves[full ? 1 : 0].points.push_back(
          point_of(io::decode(bytes.data(), bytes.size(), "jpeg").image, image, bytes.size()));
    }
  }
  for (const std::size_t i : {std::size_t{0}, std::size_t{1}}) {
    for (const Point& p : curves[i].points) {
      const double other = bytes_at(curves[1 - i], p.psnr);
      if (other == 0 || static_cast<double>(p.bytes) <= other) all.points.push_back(p);
    }
  }
  std::sort(all.points.begin(), all.points.end(), [](const Point& p, const Point& q) { return p.bytes < q.bytes; });
  return all;
}

std::vector<StageCurve> curves_of(const std::vector<Method>& all, bool psnr) {
  std::vector<StageCurve> curves;
  for (const Method& m : all) {
    StageCurve c{m.name, {}, {}};
    for (const Point& p : m.points) c.x.push_back(p.bits), c.y.push_back(psnr ? p.psnr : p.ssim);
    if (!c.x.empty()) curves.push_back(std::move(c));
  }
  return curves;
}

int rate(const Session& session, const RateArguments& o) {
  Exhibit exhibit(o.files, base_name(o.in) + ": bytes and quality",
                  "each method over the rate, beside baseline JPEG with optimized tables (color at every or every "
                  "fourth pixel, whichever is better)");
  std::vector<PackBy> methods;
  for (const std::string& name : o.by) methods.push_back(choice_of<PackBy>("--by", name));
  const Attended attended;
  const Image image = session.read(o.in).image;
  std::vector<Method> all;
  constexpr double rates[] = {0.125, 0.25, 0.5, 1, 2, 4};
  Progress progress(static_cast<double>(methods.size()) * std::size(rates));
  for (std::size_t i = 0; i < methods.size(); ++i) {
    Method m{o.by[i], {}};
    for (const double r : rates) {
      const Packed p = pack(image, {.by = methods[i], .rate = r});
      progress.add(1);
      const Point point = point_of(unpack(p.bytes).image, image, p.bytes.size());
      // A method that cannot use more bytes ends here.
      if (m.points.empty() || point.bytes > m.points.back().bytes) m.points.push_back(point);
    }
    all.push_back(std::move(m));
  }
  all.push_back(jpeg_curve(image));
  const Method& jpeg = all.back();
  const Watch::Active none(nullptr);
  if (o.json) {
    ordered_json list = ordered_json::array();
    for (const Method& m : all) {
      ordered_json points = ordered_json::array();
      for (const Point& p : m.points) {
        const double same = bytes_at(jpeg, p.psnr);
        points.push_back(
            {{"bytes", p.bytes},
             {"bits_per_pixel", p.bits},
             {"psnr", p.psnr},
             {"ssim", p.ssim},
             {"share_of_jpeg", same > 0 ? ordered_json(static_cast<double>(p.bytes) / same) : ordered_json(nullptr)}});
      }
      list.push_back({{"by", m.name}, {"points", points}});
    }
    print_json({{"input", o.in}, {"methods", list}});
  } else {
    wipe_share();
    say("{:<8} {:>10} {:>10} {:>9} {:>7}  {}\n", "by", "bytes", "bits/pixel", "PSNR", "SSIM",
        "of baseline JPEG at the same PSNR");
    for (const Method& m : all) {
      for (const Point& p : m.points) {
        const double same = &m == &jpeg ? 0 : bytes_at(jpeg, p.psnr);
        say("{:<8} {:>10} {:>10.3f} {:>6.2f} dB {:>7.4f}  {}\n", m.name, p.bytes, p.bits, p.psnr, p.ssim,
            same > 0 ? fmt::format("{:.0f} %", 100 * static_cast<double>(p.bytes) / same) : "");
      }
    }
  }
  if (!o.files.wanted()) return 0;
  exhibit.curves("PSNR over the rate", curves_of(all, true), "bits a pixel", "PSNR, dB", "", nullptr, {.x = true});
  exhibit.curves("SSIM over the rate", curves_of(all, false), "bits a pixel", "SSIM", "", nullptr, {.x = true});
  if (exhibit.has_page()) exhibit.on_page().add({"input", image, page::Role::input});
  const double raw = static_cast<double>(image.shape().pixels()) * image.channels();
  for (const double ratio : {4.0, 8.0, 16.0, 32.0, 64.0}) {
    const Packed p = pack(image, {.by = methods.size() == 1 ? methods[0] : PackBy::wavelet,
                                  .bytes = std::max<std::uint64_t>(64, static_cast<std::uint64_t>(raw / ratio))});
    const Image back = unpack(p.bytes).image;
    const double psnr = compare(back, image).psnr;
    page::Picture picture{fmt::format("{}, {:.0f} times smaller", methods.size() == 1 ? o.by[0] : "wavelet", ratio),
                          back, page::Role::result};
    picture.figures = {{"bytes", static_cast<double>(p.bytes.size())}, {"psnr", psnr}};
    draw::SheetCell cell{picture.name, draw::picture(back),
                         fmt::format("{} bytes, PSNR {:.2f} dB", p.bytes.size(), psnr), nullptr};
    exhibit.picture(std::move(picture), std::move(cell));
  }
  exhibit.write();
  return 0;
}

}  // namespace

Command declare_rate(CLI::App& root, Session& session) {
  auto o = std::make_shared<RateArguments>();
  CLI::App* app = root.add_subcommand("rate", "Quality over bytes for every way to pack, beside baseline JPEG.");
  app->add_option("IN", o->in, "the picture")->required();
  app->add_option("--by", o->by, "methods (default: cosine wavelet svd pca)");
  o->files.declare(app, "curves, and the picture packed 4 to 64 times smaller,");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve rate noon.png --by cosine wavelet --sheet rate.png");
  return {app, [o, &session] { return rate(session, *o); }};
}

}  // namespace sieve::internal::cli
