// A picture packed in four ways to the same size, and cut off: what is left of it.
// Usage: pack_picture IN.png OUT.lsv

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: pack_picture IN.png OUT.lsv");
  const sieve::Image image = sieve::io::read(argv[1]).image;
  for (const sieve::PackBy by :
       {sieve::PackBy::cosine, sieve::PackBy::wavelet, sieve::PackBy::svd, sieve::PackBy::pca}) {
    const sieve::Packed p = sieve::pack(image, {.by = by, .rate = 0.5});
    std::cout << sieve::name_of(by) << ": " << p.bytes.size() << " bytes, PSNR "
              << sieve::compare(sieve::unpack(p.bytes).image, image).psnr << " dB\n";
  }
  const sieve::Packed p = sieve::pack(image, {.quality = 80});
  for (const std::size_t part : {10U, 4U, 2U, 1U}) {
    const std::span<const std::uint8_t> some(p.bytes.data(), p.bytes.size() / part);
    std::cout << some.size() << " bytes of it: PSNR " << sieve::compare(sieve::unpack(some).image, image).psnr
              << " dB\n";
  }
  // And how few terms of its singular values would do.
  const sieve::RankShares r = sieve::rank_shares(sieve::to_gray(image));
  std::cout << "99 % of the energy: rank " << r.rank_for(0.99, true) << " of " << r.values.size() << '\n';
  sieve::io::write_bytes(argv[2], p.bytes);
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
