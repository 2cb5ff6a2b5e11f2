#pragma once
// The file around the coded sections: docs/format.md.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "pack/codecs.hpp"
#include "pack/color_planes.hpp"
#include "sieve/pack/pack.hpp"

namespace sieve::internal::packing {

struct Header {
  PackInfo info;
  ColorTurn turn;  // methods with loss
  float step = 0;  // methods with loss
  bool perceptual = false;
  bool predicted = false;      // without loss: by prediction instead of bands
  int levels = 0, planes = 0;  // wavelet
};

// Header and sections, each with its checksum.
Bytes write_container(const Header& header, const std::vector<Bytes>& sections);

struct Opened {
  Header header;
  Sections sections;  // the last may be cut off where info.complete is false
};
Opened read_container(std::span<const std::uint8_t> bytes, std::uint64_t pixels);

}  // namespace sieve::internal::packing
