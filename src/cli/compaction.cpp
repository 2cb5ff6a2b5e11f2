#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct CompactionArguments {
  std::string in, sheet;
  std::uint64_t numbers = 0;
  bool json = false;
};

// Everything but the `count` largest magnitudes of all pictures set to 0.
void keep_largest(const std::vector<Image*>& all, std::uint64_t count) {
  std::vector<float> sizes;
  for (const Image* b : all) {
    for (int y = 0; y < b->height(); ++y) {
      for (int x = 0; x < b->width(); ++x) sizes.push_back(std::fabs(b->at(x, y)));
    }
  }
  if (count >= sizes.size()) return;
  std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(count), sizes.end(), std::greater<>());
  for (Image* b : all) {
    if (!b->empty()) *b = map_samples(*b, [least = sizes[count]](float v) { return std::fabs(v) > least ? v : 0; });
  }
}

int compaction(const Session& session, const CompactionArguments& o) {
  const Attended attended;
  const Image loaded = session.read(o.in).image, image = to_gray(loaded);
  const std::uint64_t most = image.shape().pixels();
  if (o.numbers < 1 || o.numbers > most)
    throw InvalidArgument(fmt::format("--numbers {}: the picture has {} pixels; give 1 to {}", o.numbers, most, most));
  struct Shown {
    std::string name;
    Image picture;
    std::uint64_t numbers;
  };
  std::vector<Shown> all;
  // A part of the picture with as many samples and the same sides; the rest is its mean.
  const double share = std::sqrt(static_cast<double>(o.numbers) / static_cast<double>(most));
  const int w = std::max(1, static_cast<int>(image.width() * share)),
            h = std::max(1, std::min(image.height(), static_cast<int>(o.numbers / static_cast<std::uint64_t>(w))));
  const Rectangle part{(image.width() - w) / 2, (image.height() - h) / 2, w, h};
  const auto mean = static_cast<float>(statistics(image.view().part(part))[0].mean);
  Image crop = map_samples(image, [mean](float) { return mean; });
  copy(image.view().part(part), crop.view().part(part));
  all.push_back({"samples of the picture", crop, static_cast<std::uint64_t>(w) * static_cast<std::uint64_t>(h)});
  Image cosine = cosine_forward(image, 0);
  keep_largest({&cosine}, o.numbers);
  all.push_back({"cosine coefficients, the largest", cosine_inverse(cosine, 0), o.numbers});
  WaveletBands bands = wavelet_forward(image, Wavelet::nine_seven, 5);
  std::vector<Image*> list = {&bands.approximation};
  for (WaveletDetails& d : bands.levels) list.insert(list.end(), {&d.horizontal, &d.vertical, &d.diagonal});
  keep_largest(list, o.numbers);
  all.push_back({"wavelet coefficients, the largest", wavelet_inverse(bands), o.numbers});
  const int rank =
      std::clamp(static_cast<int>(o.numbers / static_cast<std::uint64_t>(image.width() + image.height() + 1)), 1,
                 std::min(image.width(), image.height()));
  all.push_back({fmt::format("singular vectors, rank {}", rank), LowRank{.rank = rank}(image),
                 static_cast<std::uint64_t>(rank) * static_cast<std::uint64_t>(image.width() + image.height() + 1)});
  ordered_json j = ordered_json::array();
  draw::Sheet sheet(fmt::format("{}: {} numbers", base_name(o.in), o.numbers),
                    fmt::format("{:.2f} % of the {} samples, spent in four ways; places are not counted",
                                100.0 * static_cast<double>(o.numbers) / static_cast<double>(most), most));
  sheet.add({"the picture", draw::picture(image), "", nullptr});
  for (const Shown& s : all) {
    const double psnr = compare(s.picture, image).psnr, like = ssim(s.picture, image);
    if (o.json) {
      j.push_back({{"kept", s.name},
                   {"numbers", s.numbers},
                   {"psnr", std::isfinite(psnr) ? ordered_json(psnr) : ordered_json(nullptr)},
                   {"ssim", like}});
    } else {
      wipe_share();
      say("{:>8} {:<36} PSNR {:>6.2f} dB  SSIM {:.4f}\n", s.numbers, s.name, psnr, like);
    }
    sheet.add({s.name, draw::picture(s.picture),
               fmt::format("{} numbers, PSNR {:.2f} dB, SSIM {:.4f}", s.numbers, psnr, like), nullptr});
  }
  if (o.json) print_json({{"input", o.in}, {"kept", j}});
  if (!o.sheet.empty()) write_sheet(sheet, o.sheet);
  return 0;
}

}  // namespace

Command declare_compaction(CLI::App& root, Session& session) {
  auto o = std::make_shared<CompactionArguments>();
  CLI::App* app = root.add_subcommand(
      "compaction", "The same count of numbers as samples, cosine and wavelet coefficients, and low rank.");
  app->add_option("IN", o->in, "the picture; taken as gray")->required();
  app->add_option("--numbers", o->numbers, "how many")->required();
  app->add_option("--sheet", o->sheet, "draw all of them into this PNG");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve compaction noon.png --numbers 10000 --sheet compaction.png");
  return {app, [o, &session] { return compaction(session, *o); }};
}

}  // namespace sieve::internal::cli
