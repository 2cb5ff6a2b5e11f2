#pragma once
/// The packed picture (.lsv): pack and unpack. The format is described in docs/format.md.

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How a picture is packed.
enum class PackBy {
  cosine,   ///< blocks of 8x8 cosine coefficients: the fastest
  wavelet,  ///< 9/7 wavelet, bit plane by bit plane, so that a file that is cut off opens at lower quality; without
            ///< loss 5/3 in bit planes, or prediction where that is smaller
  svd,      ///< low rank: quantized singular vectors of the channels side by side
  pca,      ///< principal components of 8x8 patches
};
template <>
struct ChoiceNames<PackBy> {
  static std::span<const std::pair<const char*, PackBy>> all();
};

/// What is asked of a packed picture: at most one of quality, psnr, bytes, rate, keep and lossless; quality 75 where
/// none is. With svd and pca, keep and quality go together: keep says how many terms, quality how fine their numbers
/// are.
struct PackOptions {
  PackBy by = PackBy::wavelet;              ///< the method
  std::optional<double> quality = {};       ///< 0 to 100, finest: half of an 8-bit level
  std::optional<double> psnr = {};          ///< dB over the color samples as stored, 10 to 100
  std::optional<std::uint64_t> bytes = {};  ///< of the file, 64 and more
  std::optional<double> rate = {};          ///< bits a pixel, 0.001 to 64
  std::optional<std::uint64_t> keep = {};   ///< rank, components, or coefficients that are not 0; 1 and more
  bool lossless = false;    ///< wavelet alone, on integer pictures of up to 16 bits; the smaller of 5/3 and prediction
  bool perceptual = false;  ///< cosine alone: coarser where the eye is less keen; PSNR falls
};

/// A packed picture and how it came out.
struct Packed {
  std::vector<std::uint8_t> bytes;  ///< the whole file
  float step = 0;                   ///< of the quantizer, 0..1 scale; 0 without loss
  std::uint64_t kept = 0;           ///< coefficients that are not 0, or rank, or components
  std::string note;                 ///< why a target was missed; empty where it was met within 2 percent
};

/// Packs a picture. Samples that are not finite count as 0. InvalidArgument for more than one goal, a goal out of its
/// range, or lossless where the picture has float samples or another method is asked for. Deterministic for any number
/// of threads. O(samples), times about ten where a size or a PSNR is aimed at. Sources: Wallace, "The JPEG still
/// picture compression standard", 1991 (blocks of cosines); Taubman and Marcellin, "JPEG2000", 2002 (9/7 and 5/3 in bit
/// planes); contexts and coder: docs/format.md.
[[nodiscard]] Packed pack(const ConstView& in, const PackOptions& options = {});

/// What the header of a packed picture says.
struct PackInfo {
  PackBy by = PackBy::wavelet;    ///< the method
  Shape shape;                    ///< of the picture
  std::uint32_t white_level = 0;  ///< level of white of the source, 0 for float
  bool lossless = false;          ///< not a bit was lost
  bool complete = true;           ///< all sections are there; else the picture has lower quality
  std::uint64_t kept = 0;         ///< rank or components
};
/// An unpacked picture.
struct Unpacked {
  Image image;    ///< on the 0..1 scale; clipped to it where the source had whole levels
  PackInfo info;  ///< what its header says
};
/// Whether bytes begin as a packed picture does.
[[nodiscard]] bool is_packed(std::span<const std::uint8_t> bytes);
/// Unpacks. Error, with one line, for what is no packed picture, is damaged, has more than `pixels` pixels, or takes
/// more than `memory` bytes to unpack; a wavelet file that is cut off opens at lower quality as soon as its header is
/// whole and a byte is there for every 16384 samples above 4 million, others are refused.
[[nodiscard]] Unpacked unpack(std::span<const std::uint8_t> bytes, std::uint64_t pixels = std::uint64_t{1} << 29,
                              std::uint64_t memory = std::uint64_t{1} << 40);

}  // namespace sieve
