#pragma once
/// A second picture that a filter holds as a field.

#include <memory>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/image.hpp"
#include "sieve/describe/parameter.hpp"

namespace SIEVE_EXPORT sieve {

/// A picture shared by copies of a filter and never changed, with the name it was opened by. Empty at first.
class SharedImage {
 public:
  SharedImage() = default;
  /// From a picture at hand: `Subtract{.with = truth}`.
  SharedImage(Image image) : image_(std::make_shared<const Image>(std::move(image))) {}
  SharedImage(Image image, std::string name)
      : image_(std::make_shared<const Image>(std::move(image))), name_(std::move(name)) {}

  bool empty() const { return image_ == nullptr; }
  /// The samples. InvalidArgument, naming `who` and `parameter`, where none were given.
  const Image& image(const char* who, const char* parameter) const {
    if (!image_) throw InvalidArgument(std::string(who) + ": " + parameter + "= is missing: give a picture");
    return *image_;
  }
  /// The file it came from; empty for a picture from memory.
  const std::string& name() const { return name_; }

 private:
  std::shared_ptr<const Image> image_;
  std::string name_;
};

template <>
struct TextValue<SharedImage> {
  static std::string text(const SharedImage& p) { return p.empty() ? "none" : p.name().empty() ? "memory" : p.name(); }
  static SharedImage parse(std::string_view s, const Resources& r) {
    const std::string name(s);
    if (name == "none") return {};
    return {r.open_picture(name), name};
  }
  static const char* allowed() { return "the name of a picture file"; }
};

}  // namespace sieve
