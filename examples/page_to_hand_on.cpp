// A page for a colleague: a picture before and after, the weights that did it, and a few values of one parameter to
// slide through, in one file that opens without a network. Usage: page_to_hand_on IN.png OUT.html

#include <fstream>
#include <iostream>

#include "sieve/io.hpp"
#include "sieve/page.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: page_to_hand_on IN.png OUT.html");
  const sieve::Image in = sieve::io::read(argv[1]).image;
  sieve::page::Page page("how far to sharpen", "unsharp masking with sigma 1.5");
  page.add({"input", in, sieve::page::Role::input});
  sieve::page::Runs runs;
  runs.axes.push_back({"amount", {}});
  runs.by = "sharpness";
  for (const float amount : {0.5F, 1.0F, 1.5F, 2.0F}) {
    const sieve::Filter filter = sieve::Unsharp{.sigma = 1.5F, .amount = amount};
    const std::string value = filter.get("amount");
    sieve::page::Picture picture{"amount=" + value, filter(in), sieve::page::Role::result};
    picture.chain = filter.text();
    picture.figures = {{"sharpness", sieve::sharpness(picture.image)}};
    runs.axes[0].values.push_back(value);
    runs.pictures.push_back(page.add(std::move(picture)));
  }
  page.set(runs);
  const sieve::Kernel blur = sieve::Kernel::gaussian(1.5);
  page.add(sieve::page::Grid{"what is taken off", blur.width(), blur.height(), blur.taps()});
  std::ofstream out(argv[2], std::ios::binary);
  out << page.html();
  if (!out.flush()) throw sieve::Error(std::string(argv[2]) + ": could not be written");
  std::cout << argv[2] << ": " << runs.pictures.size() << " values to slide through\n";
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
