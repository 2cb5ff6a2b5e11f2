// Edges of a picture in four steps, each a value of its own: smooth, differentiate, stretch, clip; and the sheet that
// shows them side by side. Usage: spatial_steps IN.png SHEET.png

#include <iostream>

#include "sieve/draw.hpp"
#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: spatial_steps IN.png SHEET.png");
  const sieve::io::Loaded in = sieve::io::read(argv[1]);

  const sieve::Image gray = sieve::to_gray(in.image);
  const sieve::Image smooth = sieve::Gaussian{.sigma = 1.5F}(gray);
  const sieve::Image slope = sieve::GradientMagnitude{.by = sieve::GradientBy::scharr}(smooth);
  const sieve::Image seen = sieve::Chain{sieve::Stretch{.percent = 1}, sieve::Clip{}}(slope);

  // The same edges by a kernel of one's own: convolution turns it by 180 degrees.
  const sieve::Kernel ring = sieve::Kernel::parse("-1,-1,-1/-1,8,-1/-1,-1,-1");
  const sieve::Image lines = sieve::Convolve{.kernel = ring, .border = sieve::Border::mirror}(smooth);

  sieve::draw::Sheet sheet("Edges step by step", "the kernel's sum is 0: flat regions give 0, results are signed");
  sheet.add(sieve::draw::picture_cell("gray", gray));
  sheet.add(sieve::draw::picture_cell("Gaussian, sigma 1.5", smooth));
  sheet.add(sieve::draw::picture_cell("gradient magnitude, stretched and clipped", seen));
  sheet.add(sieve::draw::picture_cell("own kernel, as it comes", lines));
  sieve::io::write_bytes(argv[2], sheet.png());
  std::cout << "steepest slope: " << sieve::statistics(slope)[0].maximum << '\n';
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
