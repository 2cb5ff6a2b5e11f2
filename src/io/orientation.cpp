#include <libexif/exif-data.h>

#include "io/codec.hpp"

namespace sieve::io {

bool orient(Image& image, int orientation) {
  if (orientation <= 1 || orientation > 8) return false;
  const bool swapped = orientation >= 5;
  const int w = image.width(), h = image.height();
  Image turned(Shape{swapped ? h : w, swapped ? w : h, image.channels()}, image.white_level());
  for (int c = 0; c < image.channels(); ++c) {
    for (int y = 0; y < turned.height(); ++y) {
      for (int x = 0; x < turned.width(); ++x) {
        // Where the upright picture's (x, y) lies in the stored one (TIFF 6.0, tag Orientation).
        int sx = swapped ? y : x, sy = swapped ? x : y;
        if (orientation == 2 || orientation == 3 || orientation == 7 || orientation == 8) sx = w - 1 - sx;
        if (orientation == 3 || orientation == 4 || orientation == 6 || orientation == 7) sy = h - 1 - sy;
        turned.at(x, y, c) = image.at(sx, sy, c);
      }
    }
  }
  image = std::move(turned);
  return true;
}

int exif_orientation(const std::uint8_t* data, std::size_t size) {
  if (size == 0 || size > 0xffffffU) return 1;
  ExifData* exif = exif_data_new_from_data(data, static_cast<unsigned>(size));
  if (exif == nullptr) return 1;
  int orientation = 1;
  if (const ExifEntry* entry = exif_content_get_entry(exif->ifd[EXIF_IFD_0], EXIF_TAG_ORIENTATION);
      entry != nullptr && entry->format == EXIF_FORMAT_SHORT && entry->size >= 2) {
    orientation = exif_get_short(entry->data, exif_data_get_byte_order(exif));
  }
  exif_data_unref(exif);
  return orientation;
}

}  // namespace sieve::io
