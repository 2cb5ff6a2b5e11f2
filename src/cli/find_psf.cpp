#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "cli/session.hpp"
#include "sieve/restore/find_psf.hpp"

namespace sieve::internal::cli {

namespace {

using nlohmann::ordered_json;

struct FindPsfArguments {
  std::string in, into, sheet;
  std::vector<int> point, edge;
  int radius = 8, free = 0;
  bool motion = false, blind = false, json = false;
};

// A PSF whose text is no name is written row by row.
std::string kernel_file(const FoundPsf& f) {
  std::string text = "# " + f.family + ": " + f.reason + "\n";
  for (int y = 0; y < f.psf.height(); ++y) {
    for (int x = 0; x < f.psf.width(); ++x) text += fmt::format("{}{:.8g}", x == 0 ? "" : " ", f.psf.at(x, y));
    text += "\n";
  }
  return text;
}

std::vector<FoundPsf> found(const FindPsfArguments& o, const Image& image) {
  if (!o.point.empty()) return {psf_from_point(image, o.point[0], o.point[1], o.radius)};
  if (!o.edge.empty()) return {psf_from_edge(image, {o.edge[0], o.edge[1], o.edge[2], o.edge[3]})};
  if (o.motion) return {psf_from_motion(image)};
  if (o.blind) return {psf_blind(image)};
  if (o.free != 0) return {psf_free(image, o.free)};
  return psf_by_spectrum(image);
}

// True where a filter's psf= takes the text.
bool named(const FoundPsf& f) { return f.family != "point" && f.family != "free" && f.family != "none"; }

std::string spec_of(const FoundPsf& f) {
  if (named(f)) return f.psf.text();
  return f.family == "none"
             ? "no blur"
             : fmt::format("{}x{} weights{}", f.psf.width(), f.psf.height(), f.family == "point" ? " as seen" : "");
}

int find_psf(const Session& session, const FindPsfArguments& o) {
  if (!o.point.empty() + !o.edge.empty() + o.motion + o.blind + (o.free != 0) > 1) {
    throw InvalidArgument(
        "give one of --point, --edge, --motion, --blind and --free, or none to judge all by the spectrum");
  }
  if (!o.sheet.empty() && io::format_of_name(o.sheet) != io::Format::png)
    throw InvalidArgument(o.sheet + ": a sheet is a PNG: give a name that ends in .png");
  const Attended attended;
  const Image image = session.read(o.in).image;
  const std::vector<FoundPsf> all = found(o, image);
  if (o.json) {
    ordered_json list = ordered_json::array();
    for (const FoundPsf& f : all) {
      list.push_back({{"family", f.family},
                      {"psf", named(f) ? ordered_json(f.psf.text()) : ordered_json(nullptr)},
                      {"size", f.size},
                      {"angle", f.angle},
                      {"confidence", f.confidence},
                      {"reason", f.reason}});
    }
    print_json({{"input", o.in}, {"found", list}});
  } else {
    wipe_share();
    for (const FoundPsf& f : all) say("{}, confidence {:.2f}\n", spec_of(f), f.confidence);
    say("  {}{}\n", all.size() > 1 ? "the first: " : "", all[0].reason);
    if (all[0].confidence < 0.5 && o.point.empty() && o.edge.empty())
      say("nothing is sure here: a known point (--point) or a slanted edge (--edge) tells more\n");
  }
  if (!o.into.empty()) {
    const std::string text = kernel_file(all[0]);
    io::write_bytes(o.into, {text.begin(), text.end()});
    say(stderr, "weights: {}\n", on_one_line(o.into));
  }
  if (o.sheet.empty()) return 0;
  draw::Sheet sheet("Point spread function of " + base_name(o.in), "found in the picture, with the confidence of each");
  draw::SheetCell input = draw::picture_cell("input", image);
  if (!o.edge.empty()) input.below = draw::detail(image, {o.edge[0], o.edge[1], o.edge[2], o.edge[3]});
  if (!o.point.empty())
    input.below =
        draw::detail(image, {o.point[0] - o.radius, o.point[1] - o.radius, 2 * o.radius + 1, 2 * o.radius + 1});
  sheet.add(std::move(input));
  constexpr double kShown = 0.01;
  for (const FoundPsf& f : all) {
    if (f.family == "none" || (f.confidence < kShown && all.size() > 1)) continue;
    draw::SheetCell cell{spec_of(f), draw::heat(f.psf.width(), f.psf.height(), f.psf.taps()),
                         fmt::format("confidence {:.2f}", f.confidence), nullptr};
    if (!f.profile.empty())
      cell.below = draw::curves({{"edge", f.position, f.profile}, {f.psf.text(), f.position, f.fitted}},
                                "pixels from the edge", "share of the step");
    sheet.add(std::move(cell));
  }
  write_sheet(sheet, o.sheet);
  return 0;
}

}  // namespace

Command declare_find_psf(CLI::App& root, Session& session) {
  auto o = std::make_shared<FindPsfArguments>();
  CLI::App* app = root.add_subcommand(
      "find-psf", "Find the point spread function in a blurred picture: what it may be, the likeliest first.");
  app->add_option("IN", o->in, "the blurred picture")->required();
  app->add_option("--point", o->point, "X,Y of a bright point on an even background")->delimiter(',')->expected(2);
  app->add_option("--radius", o->radius, "half-width of the part about the point, pixels (default 8)");
  app->add_option("--edge", o->edge, "X,Y,W,H of a part with one straight edge, slanted by 2 to 10 degrees")
      ->delimiter(',')
      ->expected(4);
  app->add_flag("--motion", o->motion, "a straight motion, from the cepstrum");
  app->add_flag("--blind", o->blind, "the Gaussian that makes the steepest edges as wide");
  app->add_option("--free", o->free, "a shake of any form, in a square of that many pixels (odd, 3 to 99)");
  app->add_option("--into", o->into, "write the weights into this text file, for psf=@FILE");
  app->add_option("--sheet", o->sheet, "draw picture, weights and edge into this PNG");
  app->add_flag("--json", o->json, "print one JSON object");
  app->footer("Example: lsieve find-psf shaken.png --sheet found.png");
  return {app, [o, &session] { return find_psf(session, *o); }};
}

}  // namespace sieve::internal::cli
