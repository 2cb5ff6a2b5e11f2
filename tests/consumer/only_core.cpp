#include <sieve/sieve.hpp>

int main() {
  const sieve::Image out = sieve::Chain{sieve::Gaussian{.sigma = 2}, sieve::Stretch{}}(sieve::Image(40, 30));
  return out.width() == 40 ? 0 : 1;
}
