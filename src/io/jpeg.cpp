#include <cstdio>  // before jpeglib.h, which needs FILE

#include <fmt/format.h>
#include <jpeglib.h>

#include <algorithm>
#include <climits>
#include <cstdlib>
#include <cstring>
#include <memory>

#include "io/c_calls.hpp"
#include "io/codec.hpp"
#include "io/strip_queue.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

struct Errors {
  jpeg_error_mgr base;
  CCalls* calls;
};

[[noreturn]] void on_error(j_common_ptr c) {
  char text[JMSG_LENGTH_MAX];
  c->err->format_message(c, text);
  reinterpret_cast<Errors*>(c->err)->calls->give_up(text);
}

// The library only warns of a file that ends early or is corrupt and hands back gray: here that is an error.
void on_message(j_common_ptr c, int level) {
  if (level < 0) on_error(c);
}

// Called while the scans of a progressive file are read, which may take long before the first row is there.
void on_progress(j_common_ptr c);

struct JpegReader {
  CCalls calls;
  jpeg_decompress_struct c{};
  Errors errors{};
  jpeg_progress_mgr progress{};
  Watch* watch = current_watch();
  explicit JpegReader(const std::string& name) : calls(name, "is a damaged or truncated JPEG") {
    errors.calls = &calls;
    c.err = jpeg_std_error(&errors.base);
    errors.base.error_exit = on_error;
    errors.base.emit_message = on_message;
    calls([&] { jpeg_create_decompress(&c); });
    progress.progress_monitor = on_progress;
    c.progress = &progress;
    c.client_data = this;
  }
  ~JpegReader() { jpeg_destroy_decompress(&c); }
  JpegReader(const JpegReader&) = delete;
  JpegReader& operator=(const JpegReader&) = delete;
};

// Nothing may be thrown through the library: the exception is thrown after the jump out of it.
void on_progress(j_common_ptr c) {
  auto& r = *static_cast<JpegReader*>(c->client_data);
  if (r.watch != nullptr && r.watch->stopped()) r.calls.give_up("stopped");
}

// The scans of a file: its start-of-scan markers. Within the coded data 0xff is followed by 0 or a restart marker, and
// segments (a thumbnail in EXIF is a JPEG itself) are passed over by their length.
std::size_t scans_in(const Bytes& file) {
  constexpr std::uint8_t kStartOfScan = 0xda;
  std::size_t scans = 0;
  for (std::size_t at = 2; at + 3 < file.size;) {
    const auto* found = static_cast<const std::uint8_t*>(std::memchr(file.data + at, 0xff, file.size - at - 3));
    if (found == nullptr) break;
    at = static_cast<std::size_t>(found - file.data) + 1;
    const std::uint8_t marker = file.data[at];
    const bool alone = marker == 0 || marker == 0xff || marker == 1 || (marker >= 0xd0 && marker <= 0xd9);
    if (alone) continue;
    scans += marker == kStartOfScan ? 1 : 0;
    at += 1 + std::max<std::size_t>(2, static_cast<std::size_t>(file.data[at + 1]) << 8 | file.data[at + 2]);
  }
  return scans;
}

// Every scan goes over all blocks, however few bytes it has. Encoders write about ten, at most a few dozen.
void check_scans(const Bytes& file, double pixels, const std::string& name) {
  constexpr std::size_t kAlways = 24;
  constexpr double kPixels = 1 << 28;
  const std::size_t scans = scans_in(file);
  if (scans > kAlways && static_cast<double>(scans) * pixels > kPixels)
    fail(name, fmt::format("has {} scans, at most {} are decoded for a picture of this size", scans,
                           std::max(kAlways, static_cast<std::size_t>(kPixels / pixels))));
}

struct JpegWriter {
  CCalls calls;
  jpeg_compress_struct c{};
  Errors errors{};
  unsigned char* buffer = nullptr;
  unsigned long size = 0;
  explicit JpegWriter(const std::string& name) : calls(name, "is a damaged or truncated JPEG") {
    errors.calls = &calls;
    c.err = jpeg_std_error(&errors.base);
    errors.base.error_exit = on_error;
    errors.base.emit_message = on_message;
    calls([&] { jpeg_create_compress(&c); });
  }
  ~JpegWriter() {
    jpeg_destroy_compress(&c);
    std::free(buffer);
  }
  JpegWriter(const JpegWriter&) = delete;
  JpegWriter& operator=(const JpegWriter&) = delete;
};

// The orientation in the first EXIF segment, 1 where there is none.
int orientation_of(const jpeg_marker_struct* markers) {
  for (const jpeg_marker_struct* m = markers; m != nullptr; m = m->next) {
    if (m->marker == JPEG_APP0 + 1 && m->data_length >= 6 && std::memcmp(m->data, "Exif\0\0", 6) == 0)
      return exif_orientation(m->data, m->data_length);
  }
  return 1;
}

// Ink to light: (1 - ink)(1 - black).
void light_of_ink(const std::vector<std::uint8_t>& ink, bool inverted, std::uint8_t* to) {
  for (std::size_t x = 0; x < ink.size() / 4; ++x) {
    const auto light = [&](std::size_t i) { return inverted ? ink[4 * x + i] : 255 - ink[4 * x + i]; };
    for (std::size_t i = 0; i < 3; ++i) to[3 * x + i] = static_cast<std::uint8_t>((light(i) * light(3) + 127) / 255);
  }
}

}  // namespace

Loaded decode_jpeg(const Bytes& file, const std::string& name, const Limits& limits) {
  JpegReader r(name);
  r.calls([&] {
    jpeg_mem_src(&r.c, file.data, file.size);
    jpeg_save_markers(&r.c, JPEG_APP0 + 1, 0xffff);
    jpeg_save_markers(&r.c, JPEG_APP0 + 2, 0xffff);
    jpeg_save_markers(&r.c, JPEG_COM, 0xffff);
    jpeg_read_header(&r.c, TRUE);
    r.c.mem->max_memory_to_use = static_cast<long>(std::min<std::uint64_t>(memory_limit(limits), LONG_MAX));
  });
  check_size(r.c.image_width, r.c.image_height, name, limits);
  // Even an empty picture takes a bit for every block of 64 samples.
  if (static_cast<double>(r.c.image_width) * r.c.image_height / 4096 > static_cast<double>(file.size)) {
    fail(name, fmt::format("its header says {}x{} pixels, more than its {} bytes can hold", r.c.image_width,
                           r.c.image_height, file.size));
  }
  const double pixels = static_cast<double>(r.c.image_width) * r.c.image_height;
  check_scans(file, pixels, name);
  // Progressive files keep two bytes for each coefficient, in whole blocks; an orientation takes a second image.
  const double coefficients = jpeg_has_multiple_scans(&r.c) != FALSE ? 2.5 * pixels * r.c.num_components : 0;
  const int orientation = orientation_of(r.c.marker_list);
  check_memory(r.c.image_width, r.c.image_height, r.c.num_components == 1 ? 1 : 3,
               coefficients + (orientation > 1 ? 4 * pixels * r.c.num_components : 0), name, limits);
  const bool cmyk = r.c.jpeg_color_space == JCS_CMYK || r.c.jpeg_color_space == JCS_YCCK;
  const bool gray = r.c.jpeg_color_space == JCS_GRAYSCALE;
  r.c.out_color_space = cmyk ? JCS_CMYK : gray ? JCS_GRAYSCALE : JCS_RGB;
  r.calls([&] { jpeg_start_decompress(&r.c); });
  const int stored = r.c.output_components, channels = gray ? 1 : 3;
  const auto width = static_cast<std::size_t>(r.c.output_width), height = static_cast<std::size_t>(r.c.output_height);
  const std::size_t n = width * static_cast<std::size_t>(channels);
  std::vector<std::uint8_t> ink(cmyk ? width * static_cast<std::size_t>(stored) : 0);
  // Files with an Adobe marker store 1 - ink.
  const bool inverted = r.c.saw_Adobe_marker != 0;
  Loaded loaded;
  loaded.format = Format::jpeg;
  loaded.bits = 8;
  loaded.image = Image(Shape{static_cast<int>(width), static_cast<int>(height), channels}, 255);
  StripQueue(static_cast<int>(height), n)
      .run(
          [&](int, std::uint8_t* to) {
            JSAMPROW row = cmyk ? ink.data() : to;
            r.calls([&] { jpeg_read_scanlines(&r.c, &row, 1); });
            if (cmyk) light_of_ink(ink, inverted, to);
          },
          [&](int first, int last, const std::uint8_t* from) {
            from_interleaved(from, loaded.image.view().part({0, first, static_cast<int>(width), last - first}));
          });
  JOCTET* profile = nullptr;
  unsigned profile_size = 0;
  boolean has_profile = FALSE;
  r.calls([&] { has_profile = jpeg_read_icc_profile(&r.c, &profile, &profile_size); });
  if (!cmyk && has_profile != FALSE) {
    loaded.profile.assign(profile, profile + profile_size);
  }
  std::free(profile);
  if (cmyk) loaded.note = "CMYK turned into RGB without its color profile";
  for (const jpeg_marker_struct* m = r.c.marker_list; m != nullptr; m = m->next) {
    if (m->marker != JPEG_COM) continue;
    const std::string text(reinterpret_cast<const char*>(m->data), m->data_length);
    if (text.starts_with(kRecordMark)) loaded.record = text.substr(std::strlen(kRecordMark));
  }
  if (orient(loaded.image, orientation))
    loaded.note += std::string(loaded.note.empty() ? "" : "; ") + "turned as its orientation tag says";
  r.calls([&] { jpeg_finish_decompress(&r.c); });
  return loaded;
}

std::vector<std::uint8_t> encode_jpeg(const Encoding& e) {
  if (e.image.width() > 65500 || e.image.height() > 65500)
    fail(e.name, "JPEG holds at most 65500 pixels a side; take PNG or TIFF");
  if (e.image.shape.has_alpha()) e.written.note = "JPEG has no alpha: it was left out";
  const int channels = e.image.shape.color_channels();
  ConstView color = e.image;
  color.shape.channels = channels;
  const auto n = static_cast<std::size_t>(color.width()) * static_cast<std::size_t>(channels);
  JpegWriter w(e.name);
  w.calls([&] { jpeg_mem_dest(&w.c, &w.buffer, &w.size); });
  w.c.image_width = static_cast<JDIMENSION>(color.width());
  w.c.image_height = static_cast<JDIMENSION>(color.height());
  w.c.input_components = channels;
  w.c.in_color_space = channels == 1 ? JCS_GRAYSCALE : JCS_RGB;
  w.calls([&] {
    jpeg_set_defaults(&w.c);
    jpeg_set_quality(&w.c, e.options.quality, TRUE);
  });
  w.c.optimize_coding = TRUE;
  if (channels == 3 && e.options.full_color.value_or(e.options.quality >= 90)) {
    // At high quality the color keeps its full resolution.
    w.c.comp_info[0].h_samp_factor = 1;
    w.c.comp_info[0].v_samp_factor = 1;
  }
  w.calls([&] { jpeg_start_compress(&w.c, TRUE); });
  if (!e.options.profile.empty())
    w.calls([&] {
      jpeg_write_icc_profile(&w.c, e.options.profile.data(), static_cast<unsigned>(e.options.profile.size()));
    });
  const std::string text = kRecordMark + e.options.record;
  if (!e.options.record.empty() && text.size() < 65000) {
    w.calls([&] {
      jpeg_write_marker(&w.c, JPEG_COM, reinterpret_cast<const JOCTET*>(text.data()),
                        static_cast<unsigned>(text.size()));
    });
  }
  // So many rows at a time that their levels are made on all threads and are still in the cache when they are coded.
  constexpr int kRows = 64;
  std::vector<std::uint8_t> samples(n * kRows);
  for (int first = 0; first < color.height(); first += kRows) {
    const int rows = std::min(kRows, color.height() - first);
    e.written.saturation += to_interleaved(color.part({0, first, color.width(), rows}), samples.data());
    for (int y = 0; y < rows; ++y) {
      checkpoint();
      JSAMPROW row = samples.data() + n * static_cast<std::size_t>(y);
      w.calls([&] { jpeg_write_scanlines(&w.c, &row, 1); });
    }
  }
  w.calls([&] { jpeg_finish_compress(&w.c); });
  return std::vector<std::uint8_t>(w.buffer, w.buffer + w.size);
}

}  // namespace sieve::io
