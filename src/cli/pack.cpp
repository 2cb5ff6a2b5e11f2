#include "sieve/pack.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <chrono>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "cli/output.hpp"
#include "cli/session.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct PackArguments {
  std::string in, out, format, by = "wavelet";
  PackOptions pack;
  bool json = false;
};

// Bytes of the samples as they are: one, two or four each.
std::uint64_t raw_bytes(const Image& image) {
  return image.shape().pixels() * static_cast<std::uint64_t>(image.channels()) *
         (image.white_level() == 0    ? 4
          : image.white_level() > 255 ? 2
                                      : 1);
}

std::string bytes_text(double n) {
  return n < 10000 ? fmt::format("{:.0f} bytes", n)
         : n < 1e7 ? fmt::format("{:.1f} kB", n / 1000)
                   : fmt::format("{:.1f} MB", n / 1e6);
}

int pack_file(const Session& session, PackArguments& o) {
  const Output out(o.out, o.out == "-" ? "lsv" : "");
  if (out.format() != io::Format::packed) throw InvalidArgument(o.out + ": a packed picture is called something.lsv");
  o.pack.by = choice_of<PackBy>("--by", o.by);
  Attended attended;
  const Image image = session.read(o.in).image;
  const auto start = std::chrono::steady_clock::now();
  const Packed p = pack(image, o.pack);
  const double took = seconds_since(start);
  out.write(p.bytes);
  const Image back = unpack(p.bytes).image;
  const Comparison c = compare(back, image);
  const double n = static_cast<double>(p.bytes.size()), raw = static_cast<double>(raw_bytes(image)),
               bits = 8 * n / static_cast<double>(image.shape().pixels());
  std::error_code none;
  const double source = static_cast<double>(std::filesystem::file_size(o.in, none));
  if (o.json) {
    ordered_json j = {{"input", o.in},
                      {"output", o.out},
                      {"by", o.by},
                      {"bytes", p.bytes.size()},
                      {"ratio", raw / n},
                      {"ratio_to_file", none ? ordered_json(nullptr) : ordered_json(source / n)},
                      {"bits_per_pixel", bits},
                      {"psnr", std::isfinite(c.psnr) ? ordered_json(c.psnr) : ordered_json(nullptr)},
                      {"ssim", ssim(back, image)},
                      {"step", p.step},
                      {"kept", p.kept},
                      {"seconds", took}};
    if (!p.note.empty()) j["note"] = p.note;
    print_json(j, out.told());
    return 0;
  }
  wipe_share();
  say(out.told(), "{}: {}, by {}, {:.4g} bits a pixel\n", out.name(), bytes_text(n), o.by, bits);
  say(out.told(), "  {:.4g} times smaller than the samples ({}){}\n", raw / n, bytes_text(raw),
      none ? "" : fmt::format(", {:.4g} times smaller than {} ({})", source / n, base_name(o.in), bytes_text(source)));
  say(out.told(), "  PSNR {}, SSIM {:.4f}, {} {}  [{}]\n",
      std::isfinite(c.psnr) ? fmt::format("{:.2f} dB", c.psnr) : "infinite: not a bit lost", ssim(back, image), p.kept,
      o.pack.by == PackBy::svd   ? "terms"
      : o.pack.by == PackBy::pca ? "components"
                                 : "coefficients that are not 0",
      time_text(took));
  if (!p.note.empty()) say(out.told(), "  note: {}\n", p.note);
  return 0;
}

int unpack_file(const Session& session, const PackArguments& o) {
  const Output out(o.out, o.format);
  const Attended attended;
  const io::Loaded in = session.read(o.in);
  if (in.format != io::Format::packed)
    throw InvalidArgument(o.in + ": this is no packed picture; convert others with `lsieve apply IN OUT clip`");
  const io::Written w = out.write(in.image, {});
  if (o.json) {
    print_json({{"input", o.in},
                {"output", o.out},
                {"width", in.image.width()},
                {"height", in.image.height()},
                {"channels", in.image.channels()},
                {"complete", in.note.empty()},
                {"bits", w.bits}},
               out.told());
    return 0;
  }
  wipe_share();
  say(out.told(), "{}: {}, {}\n", out.name(), text_of(in.image.shape()).text,
      w.bits == 32 ? "32-bit float" : fmt::format("{} bits a sample", w.bits));
  if (!in.note.empty()) say(out.told(), "  note: {}\n", in.note);
  return 0;
}

}  // namespace

Command declare_pack(CLI::App& root, Session& session) {
  auto o = std::make_shared<PackArguments>();
  CLI::App* app = root.add_subcommand("pack", "Pack a picture into few bytes, and tell how many and how good.");
  app->add_option("IN", o->in, "the picture to read; - is standard input")->required();
  app->add_option("OUT", o->out, "the packed picture, something.lsv; - is standard output")->required();
  app->add_option("--by", o->by, "cosine (fast), wavelet (default: small, opens when cut off), svd, pca");
  app->add_option("--quality", o->pack.quality, "0 to 100 (default 75)");
  app->add_option("--psnr", o->pack.psnr, "at least so many dB");
  app->add_option("--bytes", o->pack.bytes, "at most so many bytes");
  app->add_option("--rate", o->pack.rate, "at most so many bits a pixel");
  app->add_option("--keep", o->pack.keep,
                  "so many terms (svd) or components (pca), as fine as --quality says; at most so many coefficients "
                  "(cosine, wavelet)");
  app->add_flag("--lossless", o->pack.lossless, "not a bit lost (wavelet, integer pictures)");
  app->add_flag("--perceptual", o->pack.perceptual, "coarser where the eye is less keen (cosine)");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve pack noon.png noon.lsv --rate 0.5");
  return {app, [o, &session] { return pack_file(session, *o); }};
}

Command declare_unpack(CLI::App& root, Session& session) {
  auto o = std::make_shared<PackArguments>();
  CLI::App* app = root.add_subcommand("unpack", "Write a packed picture in another format.");
  app->add_option("IN", o->in, "the packed picture; - is standard input")->required();
  app->add_option("OUT", o->out, "the picture to write; the ending says the format; - is standard output, see --format")
      ->required();
  app->add_option("--format", o->format, "the format where OUT is -, as png");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve unpack noon.lsv noon.png");
  return {app, [o, &session] { return unpack_file(session, *o); }};
}

}  // namespace sieve::internal::cli
