#include "pack/container.hpp"

#include <fmt/format.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "pack/varint.hpp"
#include "sieve/core/error.hpp"

namespace sieve {

namespace internal::packing {

namespace {

// A byte that is no text, the name, and line ends that a transfer as text would spoil.
constexpr std::array<std::uint8_t, 8> kMagic = {0x8c, 'L', 'S', 'V', '\r', '\n', 0x1a, '\n'};
constexpr std::uint8_t kVersion = 2;

// Bytes that a file of so many samples has at least. Flat pictures take fewer and are padded with zeros, so that a
// short file cannot claim the memory of a large picture.
std::size_t least_bytes(std::uint64_t samples) {
  constexpr std::uint64_t kFree = std::uint64_t{1} << 22, kForByte = std::uint64_t{1} << 14;
  return samples <= kFree ? 0 : static_cast<std::size_t>((samples - kFree + kForByte - 1) / kForByte);
}

std::uint32_t checksum(std::span<const std::uint8_t> bytes) { return XXH32(bytes.data(), bytes.size(), 0); }

// A build for fuzzing takes any, so that what lies behind is reached.
bool is_checksum_of(std::uint64_t given, std::span<const std::uint8_t> bytes) {
#ifdef FUZZING_BUILD_MODE_UNSAFE_FOR_PRODUCTION
  (void)given, (void)bytes;
  return true;
#else
  return given == checksum(bytes);
#endif
}

void put_fixed(Bytes& to, std::uint64_t value, int bytes) {
  for (int i = 0; i < bytes; ++i) to.push_back(static_cast<std::uint8_t>(value >> (8 * i)));
}

[[noreturn]] void damaged(const std::string& what) {
  throw Error("packed picture: " + what + "; the file is damaged: fetch it again");
}

// Takes fields off the front; a missing one is damage.
class Fields {
 public:
  explicit Fields(std::span<const std::uint8_t> bytes) : rest_(bytes) {}
  std::uint64_t varint(std::uint64_t most, const char* name) {
    const auto v = take_varint(rest_);
    if (!v) damaged(std::string("its header ends before ") + name);
    if (*v > most) damaged(fmt::format("its header says {} {}, at most {} are possible", name, *v, most));
    return *v;
  }
  std::uint64_t fixed(int bytes, const char* name) {
    if (rest_.size() < static_cast<std::size_t>(bytes)) damaged(std::string("its header ends before ") + name);
    std::uint64_t v = 0;
    for (int i = 0; i < bytes; ++i) v |= static_cast<std::uint64_t>(rest_[static_cast<std::size_t>(i)]) << (8 * i);
    rest_ = rest_.subspan(static_cast<std::size_t>(bytes));
    return v;
  }
  std::size_t left() const { return rest_.size(); }

 private:
  std::span<const std::uint8_t> rest_;
};

}  // namespace

Bytes write_container(const Header& h, const std::vector<Bytes>& sections) {
  Bytes body;
  put_varint(body, static_cast<std::uint64_t>(h.info.by));
  put_varint(body, static_cast<std::uint64_t>(h.info.shape.width));
  put_varint(body, static_cast<std::uint64_t>(h.info.shape.height));
  put_varint(body, static_cast<std::uint64_t>(h.info.shape.channels));
  put_varint(body, h.info.white_level);
  put_varint(body, (h.info.lossless ? 1U : 0U) | (h.perceptual ? 2U : 0U) | (h.predicted ? 4U : 0U));
  if (!h.info.lossless) {
    for (const std::int16_t r : h.turn.rows) {
      if (h.info.shape.color_channels() == 3) put_fixed(body, static_cast<std::uint16_t>(r), 2);
    }
    for (int c = 0; c < h.info.shape.channels; ++c)
      put_fixed(body, static_cast<std::uint32_t>(h.turn.means[static_cast<std::size_t>(c)]), 4);
    put_fixed(body, std::bit_cast<std::uint32_t>(h.step), 4);
  }
  put_varint(body, static_cast<std::uint64_t>(h.levels));
  put_varint(body, static_cast<std::uint64_t>(h.planes));
  put_varint(body, h.info.kept);
  put_varint(body, sections.size());
  for (const Bytes& s : sections) {
    put_varint(body, s.size());
    put_fixed(body, checksum(s), 4);
  }
  Bytes file(kMagic.begin(), kMagic.end());
  file.push_back(kVersion);
  put_fixed(file, body.size(), 4);
  file.insert(file.end(), body.begin(), body.end());
  put_fixed(file, checksum(file), 4);
  for (const Bytes& s : sections) file.insert(file.end(), s.begin(), s.end());
  file.resize(std::max(file.size(), least_bytes(h.info.shape.samples())));
  return file;
}

Opened read_container(std::span<const std::uint8_t> bytes, std::uint64_t pixels) {
  if (!is_packed(bytes)) throw Error("packed picture: the first bytes are those of another kind of file");
  if (bytes.size() < kMagic.size() + 5) damaged("it ends within its header");
  Fields start(bytes.subspan(kMagic.size()));
  const std::uint64_t version = start.fixed(1, "its version");
  if (version != kVersion)
    throw Error(fmt::format("packed picture: it is of version {}; this program reads version {}", version, kVersion));
  const std::uint64_t length = start.fixed(4, "its length");
  if (length + 4 > start.left()) damaged("it ends within its header");
  const std::size_t end = kMagic.size() + 5 + static_cast<std::size_t>(length);
  if (!is_checksum_of(Fields(bytes.subspan(end)).fixed(4, "its checksum"), bytes.first(end)))
    damaged("the checksum of its header is wrong");
  Fields f(bytes.subspan(kMagic.size() + 5, static_cast<std::size_t>(length)));
  Opened o;
  Header& h = o.header;
  h.info.by = static_cast<PackBy>(f.varint(3, "method"));
  const auto side = [&](const char* name) { return static_cast<int>(f.varint(0x7fffffff, name)); };
  h.info.shape.width = side("width");
  h.info.shape.height = side("height");
  h.info.shape.channels = static_cast<int>(f.varint(4, "channels"));
  h.info.white_level = static_cast<std::uint32_t>(f.varint(65535, "the level of white"));
  const std::uint64_t flags = f.varint(7, "flags");
  h.info.lossless = (flags & 1) != 0;
  h.perceptual = (flags & 2) != 0;
  h.predicted = (flags & 4) != 0;
  const std::uint64_t w = static_cast<std::uint64_t>(h.info.shape.width),
                      ht = static_cast<std::uint64_t>(h.info.shape.height);
  if (w == 0 || ht == 0 || h.info.shape.channels == 0)
    damaged(fmt::format("its header says {}x{} pixels of {} channels", w, ht, h.info.shape.channels));
  if (h.predicted && !h.info.lossless) damaged("its header says predicted for a method with loss");
  if (h.info.lossless && (h.info.by != PackBy::wavelet || h.info.white_level == 0))
    damaged("its header says lossless for a method that is not");
  if (w > pixels / ht)
    throw Error(fmt::format("packed picture: it has {}x{} pixels, more than the limit of {}: raise Limits::pixels", w,
                            ht, pixels));
  if (bytes.size() < least_bytes(h.info.shape.samples()))
    damaged(fmt::format("its header says {}x{} pixels, far more than {} bytes can hold", w, ht, bytes.size()));
  if (!h.info.lossless) {
    if (h.info.shape.color_channels() == 3) {
      for (std::int16_t& r : h.turn.rows) r = static_cast<std::int16_t>(f.fixed(2, "the turn of colors"));
    }
    for (int c = 0; c < h.info.shape.channels; ++c)
      h.turn.means[static_cast<std::size_t>(c)] = static_cast<std::int32_t>(f.fixed(4, "means"));
    h.step = std::bit_cast<float>(static_cast<std::uint32_t>(f.fixed(4, "step")));
    if (!std::isfinite(h.step) || h.step <= 0) damaged("its header says a step that is not above 0");
  }
  h.levels = static_cast<int>(f.varint(16, "levels"));
  h.planes = static_cast<int>(f.varint(31, "bit planes"));
  if (h.info.lossless && h.planes > 24)
    damaged(fmt::format("its header says {} bit planes for a picture of {} levels", h.planes, h.info.white_level));
  h.info.kept = f.varint(std::uint64_t{1} << 40, "components");
  const std::uint64_t count = f.varint(f.left() / 5 + 1, "sections");
  std::span<const std::uint8_t> rest = bytes.subspan(end + 4);
  for (std::uint64_t i = 0; i < count; ++i) {
    const std::uint64_t size = f.varint(std::uint64_t{1} << 40, "a section's length"),
                        sum = f.fixed(4, "a section's checksum");
    if (!o.header.info.complete) continue;
    if (size > rest.size()) {
      o.header.info.complete = false;
      if (!rest.empty()) o.sections.push_back(rest);
      continue;
    }
    const auto section = rest.first(static_cast<std::size_t>(size));
    if (!is_checksum_of(sum, section)) damaged(fmt::format("the checksum of section {} is wrong", i + 1));
    o.sections.push_back(section);
    rest = rest.subspan(static_cast<std::size_t>(size));
  }
  if (f.left() != 0) damaged("its header is longer than its fields");
  const bool padded = bytes.size() == least_bytes(h.info.shape.samples()) &&
                      std::all_of(rest.begin(), rest.end(), [](std::uint8_t b) { return b == 0; });
  if (o.header.info.complete && !rest.empty() && !padded)
    damaged(fmt::format("{} bytes follow its last section", rest.size()));
  return o;
}

}  // namespace internal::packing

bool is_packed(std::span<const std::uint8_t> bytes) {
  return bytes.size() >= internal::packing::kMagic.size() &&
         std::equal(internal::packing::kMagic.begin(), internal::packing::kMagic.end(), bytes.begin());
}

}  // namespace sieve
