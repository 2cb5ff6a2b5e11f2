// Packed pictures among the files.

#include "io/codec.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/pack.hpp"

namespace sieve::io {

Loaded decode_packed(const Bytes& file, const std::string& name, const Limits& limits) {
  try {
    Unpacked u = unpack({file.data, file.size}, limits.pixels, memory_limit(limits));
    Loaded loaded;
    loaded.format = Format::packed;
    loaded.bits = u.info.white_level == 0 ? 32 : u.info.white_level > 255 ? 16 : 8;
    loaded.image = std::move(u.image);
    if (!u.info.complete) loaded.note = "cut off: opened at lower quality";
    return loaded;
  } catch (const Error& e) {
    fail(name, e.what());
  }
}

std::vector<std::uint8_t> encode_packed(const Encoding& e) {
  ConstView image = e.image;
  image.white_level = e.white_level;
  if (!e.options.record.empty()) e.written.note = "LSV has no place for the record of its making: it was left out";
  return pack(image, {.quality = e.options.quality}).bytes;
}

}  // namespace sieve::io
