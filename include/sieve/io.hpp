#pragma once
/// Files: PNG, JPEG, TIFF, PNM (PBM, PGM, PPM), PFM, arrays of NumPy (.npy) and packed pictures (.lsv). Target
/// LeanSieve::io.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/buffers.hpp"
#include "sieve/core/image.hpp"
#include "sieve/describe/parameter.hpp"
#include "sieve/describe/resources.hpp"

namespace SIEVE_EXPORT sieve {
namespace io {

/// The formats that are read and written.
enum class Format { png, jpeg, tiff, pnm, pfm, npy, packed };

/// "PNG", "JPEG", "TIFF", "PNM", "PFM", "NPY", "LSV".
[[nodiscard]] const char* name_of(Format format);
/// The format that a file name's ending means (.png .jpg .jpeg .tif .tiff .pbm .pgm .ppm .pnm .pfm .npy .lsv, any
/// case); nothing for another ending.
[[nodiscard]] std::optional<Format> format_of_name(const std::string& name);
/// The endings that can be written, for messages.
[[nodiscard]] std::string known_endings();

/// What a decoder may use. A header that asks for more is refused before anything is allocated.
struct Limits {
  std::uint64_t pixels = std::uint64_t{1} << 29;      ///< width times height
  std::uint64_t file_bytes = std::uint64_t{1} << 32;  ///< size of the file
  /// Memory that decoding takes beside the file: the image with its padding, and working memory. Default: the smaller
  /// of 4 GiB and half of what the machine has available when the file is read.
  std::optional<std::uint64_t> memory = {};
  /// Read named pipes and character devices as well as regular files. A stop ends the wait for their bytes.
  bool pipes = false;
};

/// A picture and what its file says beside the samples.
struct Loaded {
  Image image;  ///< 0..1 scale; image.white_level() is the file's largest level, 0 for float
  Format format = Format::png;
  int bits = 8;                       ///< stored bits a sample; 32 for float
  std::vector<std::uint8_t> profile;  ///< the embedded ICC color profile, empty where there is none
  std::string record;                 ///< what Lean Sieve wrote into it about its making, see WriteOptions
  std::string note;                   ///< what was done on reading, in words ("turned as its orientation tag says")
  std::uint64_t file_hash = 0;        ///< XXH3, 64 bits, of the file's bytes: the ones that were decoded
};

/// Reads a picture. The format is found by the content; a name that says another one is refused. Palettes become
/// RGB, transparency becomes alpha, CMYK becomes RGB, an orientation tag is applied; packed pictures that are cut off
/// open at lower quality, with a note. Error with one line for a file that is missing, truncated, damaged, mislabeled,
/// larger than the limits, or not a regular file (see Limits::pipes).
[[nodiscard]] Loaded read(const std::string& path, const Limits& limits = {});

/// The same from memory; `name` stands in messages and is checked against the content.
[[nodiscard]] Loaded decode(const std::uint8_t* bytes, std::size_t size, const std::string& name,
                            const Limits& limits = {});

/// The whole of a small text file, for kernels and recipes. Error where it cannot be read, is over 1 MiB, or is not a
/// regular file; `pipes` as in Limits.
[[nodiscard]] std::string read_text(const std::string& path, bool pipes = false);

/// How the text of a parameter opens the files of this machine: `Chain::parse(text, catalogue, io::resources())`.
/// Pictures are read within the limits.
[[nodiscard]] Resources resources(const Limits& limits = {});

/// How much time is given to making a file small that loses nothing.
enum class Compression {
  fast,    ///< about half the time of normal to compress, 5 % more bytes
  normal,  ///< the default
  small    ///< ten times the time of normal to compress, 10 % fewer bytes
};

/// How a picture is written.
struct WriteOptions {
  std::optional<int> bits = {};  ///< 1, 2, 4, 8, 16 or 32 (float); default: what the picture came with
  int quality = 92;              ///< JPEG and packed pictures, 1 to 100
  /// JPEG alone: color at every pixel and not at every fourth; default: from quality 90 on
  std::optional<bool> full_color = {};
  Compression compression = Compression::normal;  ///< PNG and TIFF
  std::vector<std::uint8_t> profile = {};         ///< ICC profile to embed, where the format can
  std::string record = {};  ///< how the picture was made, kept in a text field of PNG, JPEG and TIFF
};

/// What was written.
struct [[nodiscard("samples may have been lost: see its note")]] Written {
  Saturation saturation;  ///< samples outside 0..1, lost by rounding to integers
  int bits = 8;           ///< stored bits a sample
  std::string note;       ///< what was lost, in words ("alpha was left out"), samples outside 0..1 with their number
};

/// Writes a picture in the format that the name's ending says, beside its place first and then renamed: a stop at
/// any moment leaves the old file or the new one, whole. A file that is replaced keeps its permission bits (without
/// set-uid, set-gid and sticky) and, where the process may, owner and group; a read-only one is an error. Integer
/// formats round to nearest and saturate; the result tells how many samples were outside, in its note and in one to the
/// current Watch. InvalidArgument for an unknown ending or a depth that the format has not, Error where the file cannot
/// be written.
Written write(const std::string& path, const ConstView& image, const WriteOptions& options = {});

/// The same as bytes in memory. `written` may be null. InvalidArgument for a depth that the format has not.
[[nodiscard]] std::vector<std::uint8_t> encode(Format format, const ConstView& image, const WriteOptions& options = {},
                                               Written* written = nullptr);

/// The same in the format that a name's ending says (a .pbm holds bits, a .pgm gray). InvalidArgument for an unknown
/// ending, too.
[[nodiscard]] std::vector<std::uint8_t> encode(const std::string& name, const ConstView& image,
                                               const WriteOptions& options = {}, Written* written = nullptr);

/// Replaces a file as a whole, with the rules of write(). Error where that fails, or where `path` is a symbolic link
/// and links are not to be followed.
void write_bytes(const std::string& path, const std::vector<std::uint8_t>& bytes, bool follow_links = true);

}  // namespace io

template <>
struct ChoiceNames<io::Compression> {
  static std::span<const std::pair<const char*, io::Compression>> all();
};

}  // namespace sieve
