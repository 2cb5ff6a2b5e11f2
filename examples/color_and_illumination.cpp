// Uneven light is corrected first, then the levels: measured, flattened, thresholded; and one hue kept in a color view.
// Usage: color_and_illumination PAGE.png FLAT.png VIEW.png OUT_PAGE.png OUT_VIEW.png

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 6)
    throw sieve::InvalidArgument("usage: color_and_illumination PAGE.png FLAT.png VIEW.png OUT_PAGE.png OUT_VIEW.png");
  const sieve::Image page = sieve::io::read(argv[1]).image, flat = sieve::io::read(argv[2]).image;

  // What is wrong with the picture, and what mends it.
  const sieve::Diagnosis d = sieve::diagnose(page);
  for (const sieve::Finding& f : d.findings)
    std::cout << sieve::name_of(f.trouble) << ", confidence " << f.confidence << ": " << f.evidence << '\n';
  for (const sieve::Proposal& p : d.proposals) std::cout << "take  " << p.chain.text() << ": " << p.reason << '\n';
  for (const sieve::Proposal& p : d.leave) std::cout << "leave " << p.chain.text() << ": " << p.reason << '\n';

  // By a flat frame where there is one, by a guess where there is none.
  const sieve::Image by_flat = sieve::FlatField{.with = flat}(page);
  const sieve::Image by_guess = sieve::Flatten{.by = sieve::BackgroundBy::polynomial}(page);
  std::cout << "flatness " << sieve::flatness(page) << ", by the flat " << sieve::flatness(by_flat) << ", by a guess "
            << sieve::flatness(by_guess) << '\n';
  std::cout << sieve::io::write(argv[4], sieve::Threshold{}(by_guess)).note;

  // Color changes hold the lightness; what a filter found out while it ran is heard through a watch.
  sieve::Watch watch;
  watch.on_note = [](const std::string& line) { std::cout << "note: " << line << '\n'; };
  const sieve::Watch::Active active(watch);
  const sieve::Chain chain{sieve::WhiteBalance{.by = sieve::BalanceBy::white_patch},
                           sieve::KeepHue{.hue = 29, .width = 50}};
  std::cout << sieve::io::write(argv[5], chain(sieve::io::read(argv[3]).image)).note;
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
