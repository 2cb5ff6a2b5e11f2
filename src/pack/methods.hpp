#pragma once
// What a method does between picture and sections.

#include <memory>

#include "pack/container.hpp"

namespace sieve::internal::packing {

// A picture made ready to be coded at any step.
class Method {
 public:
  virtual ~Method() = default;
  struct Coded {
    Header header;
    std::vector<Bytes> sections;
    std::uint64_t nonzero = 0;
  };
  virtual Coded code(float step) = 0;
};
std::unique_ptr<Method> cosine_method(const ConstView& in, bool perceptual);
std::unique_ptr<Method> wavelet_method(const ConstView& in);
// With `keep` so many terms, where there are as many; else those that are worth their numbers at the step.
std::unique_ptr<Method> svd_method(const ConstView& in, std::optional<std::uint64_t> keep);
std::unique_ptr<Method> principal_method(const ConstView& in, std::optional<std::uint64_t> keep);
Method::Coded code_lossless(const ConstView& in);

// The pictures back; damage is an Error.
void decode_cosine_picture(const Opened& o, const View& out);
void decode_wavelet_picture(const Opened& o, const View& out);
void decode_svd_picture(const Opened& o, const View& out);
void decode_principal_picture(const Opened& o, const View& out);
void decode_lossless_picture(const Opened& o, const View& out);

}  // namespace sieve::internal::packing
