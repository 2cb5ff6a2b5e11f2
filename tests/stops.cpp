// Everything that takes long ends soon after it was to: every filter of the catalogue, and every function with a loop.

#include <algorithm>
#include <chrono>
#include <ctime>
#include <functional>
#include <string>

#include "catalogue.hpp"
#include "sieve/pack.hpp"
#include "sieve/run.hpp"

using namespace sieve;
using namespace test;
using namespace std::chrono_literals;
using Clock = std::chrono::steady_clock;

namespace {

constexpr auto kAllowed = 30ms;

const Image& large() {
  static const Image image = noise(4000, 3000);
  return image;
}

// The work this process has done on all its threads. Other processes have no part in it.
double work() { return static_cast<double>(std::clock()) / CLOCKS_PER_SEC; }

// How much work may follow a deadline: a number of times what it takes to add up the picture in one thread, which on a
// quiet machine is about a second. That is far more than the tenth that is meant and far less than what runs on takes.
double allowed_work(std::chrono::duration<double> until_deadline) {
  static const double sum = [] {
    double least = 1e9, total = 0;
    for (int i = 0; i < 5; ++i) {
      const double start = work();
      for (int y = 0; y < large().height(); ++y) {
        for (int x = 0; x < large().width(); ++x) total += static_cast<double>(large().at(x, y, 0));
      }
      least = std::min(least, work() - start);
    }
    REQUIRE(total > 0);
    return least;
  }();
  return 30 * sum + threads() * until_deadline.count();
}

}  // namespace

TEST_CASE("every filter ends at its deadline on 12 megapixels") {
  Engine engine;
  Image out(large().shape());
  for (const Filter& f : every_filter(large(), false)) {
    CAPTURE(f.text());
    const double start = work();
    try {
      (void)engine.run(f, large(), {.deadline = kAllowed});
    } catch (const Canceled& stopped) {
      CHECK(stopped.by() == Canceled::By::deadline);
    } catch (const Error&) {
      continue;  // colors of a gray picture, nothing that could be measured
    }
    CHECK(work() - start < allowed_work(kAllowed));
  }
}

TEST_CASE("every function with a loop ends at its deadline on 12 megapixels") {
  const Image& in = large();
  Image levels = in;
  levels.set_white_level(255);
  std::vector<std::pair<std::string, std::function<void()>>> all = {
      {"svd", [&] { (void)svd(in, 20); }},
      {"svd, exact", [&] { (void)svd(in, 0, SvdMethod::exact); }},
      {"rank_shares", [&] { (void)rank_shares(in); }},
      {"principal_rows", [&] { (void)principal_rows(in); }},
      {"principal_patches", [&] { (void)principal_patches(in); }},
      {"wavelet_forward", [&] { (void)wavelet_forward(in, Wavelet::haar, 5); }},
      {"wavelet_forward, undecimated", [&] { (void)wavelet_forward(in, Wavelet::haar, 3, true); }},
      {"spectrum", [&] { (void)spectrum_image(spectrum(in)); }},
      {"double_spectrum", [&] { (void)double_spectrum(in); }},
      {"periodic_part", [&] { (void)periodic_part(in); }},
      {"find_periodic_noise", [&] { (void)find_periodic_noise(in); }},
      {"cosine_forward", [&] { (void)cosine_forward(in); }},
      {"cosine_forward, blocks", [&] { (void)cosine_forward(in, 8); }},
      {"compare", [&] { (void)compare(in, levels); }},
      {"noise_level", [&] { (void)noise_level(in); }},
      {"impulse_share", [&] { (void)impulse_share(in); }},
      {"edge_blur", [&] { (void)edge_blur(in); }},
      {"percentile", [&] { (void)percentile(in, 0.3); }},
      {"exposure", [&] { (void)exposure(in); }},
      {"diagnose", [&] { (void)diagnose(in); }},
      {"psf_blind", [&] { (void)psf_blind(in); }},
      {"psf_from_motion", [&] { (void)psf_from_motion(in); }}};
  for (const PackBy by : {PackBy::cosine, PackBy::wavelet, PackBy::pca, PackBy::svd})
    all.emplace_back("pack " + std::string(name_of(by)), [&in, by] { (void)pack(in, {.by = by}); });
  for (const io::Format format :
       {io::Format::png, io::Format::jpeg, io::Format::tiff, io::Format::pnm, io::Format::pfm, io::Format::npy})
    all.emplace_back("encode " + std::string(io::name_of(format)),
                     [&levels, format] { (void)io::encode(format, levels); });
  const auto ends = [](const std::function<void()>& call, Clock::duration allowed) {
    Watch watch;
    const double start = work();
    watch.stop_at(Clock::now() + allowed);
    const Watch::Active active(watch);
    try {
      call();
    } catch (const Canceled&) {
    }
    CHECK(work() - start < allowed_work(allowed));
  };
  for (const auto& [name, call] : all) {
    CAPTURE(name);
    ends(call, kAllowed);
    // What has several stages is stopped in a later one, too.
    for (const char* long_one : {"svd, exact", "rank_shares", "principal_rows", "pack svd"}) {
      if (name == long_one) ends(call, 2500ms);
    }
  }
}
