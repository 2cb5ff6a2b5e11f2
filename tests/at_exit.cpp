// Filters, codecs and transforms that run while static objects are destroyed, after all of the library's own could be
// gone: a program of its own, whose exit code says whether it got to its end.

#include <cstdlib>

#include "sieve/io.hpp"
#include "sieve/pack.hpp"
#include "sieve/sieve.hpp"

namespace {

using namespace sieve;

void work() {
  Image in(97, 71, 3);
  in.fill(0.4F);
  in.at(40, 30) = 1;
  const Chain chain = Chain::parse(
      "gaussian sigma=2 then low_pass then wavelet_shrink noise=0.1 then gradient_magnitude then equalize then "
      "laplacian_sharpen then nonlocal_means noise=0.1 then within part=1,1,20,20 then median then end");
  if (chain(in).empty() || unpack(pack(in).bytes).image.empty()) std::abort();
  const auto bytes = io::encode("x.png", in);
  if (io::decode(bytes.data(), bytes.size(), "x.png").image.shape() != in.shape()) std::abort();
}

struct WorksAtTheEnd {
  ~WorksAtTheEnd() { work(); }
};
const WorksAtTheEnd first;  // constructed before anything of the library is used

}  // namespace

int main() {
  std::atexit(work);
  work();
}
