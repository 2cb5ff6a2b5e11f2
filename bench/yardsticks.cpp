#include "yardsticks.hpp"

#include <Eigen/Core>
#include <atomic>
#include <cstdio>
#include <map>

#include <jpeglib.h>

#include "bare_fft.hpp"
#include "multiply_add.hpp"
#include "scene.hpp"

namespace sieve::bench {

namespace {

// Baseline, quality 85, color at half the resolution: what a camera writes.
std::vector<std::uint8_t> to_jpeg(const std::vector<std::uint8_t>& samples, unsigned width, unsigned height) {
  jpeg_compress_struct c{};
  jpeg_error_mgr errors{};
  c.err = jpeg_std_error(&errors);
  jpeg_create_compress(&c);
  unsigned char* buffer = nullptr;
  unsigned long size = 0;
  jpeg_mem_dest(&c, &buffer, &size);
  c.image_width = width;
  c.image_height = height;
  c.input_components = 3;
  c.in_color_space = JCS_RGB;
  jpeg_set_defaults(&c);
  jpeg_set_quality(&c, 85, TRUE);
  jpeg_start_compress(&c, TRUE);
  while (c.next_scanline < height) {
    JSAMPROW row = const_cast<JSAMPROW>(samples.data() + static_cast<std::size_t>(c.next_scanline) * width * 3);
    jpeg_write_scanlines(&c, &row, 1);
  }
  jpeg_finish_compress(&c);
  jpeg_destroy_compress(&c);
  std::vector<std::uint8_t> out(buffer, buffer + size);
  std::free(buffer);
  return out;
}

const std::vector<std::uint8_t>& scene_bytes() {
  static const std::vector<std::uint8_t> bytes = [] {
    std::vector<std::uint8_t> out(scene().shape().samples());
    (void)to_interleaved(scene(), out.data());
    return out;
  }();
  return bytes;
}

Yardstick copying(const char* name, const Image& in) {
  auto to = std::make_shared<Image>(in.shape());
  return {name, [&in, to] { copy(in, to->view()); },
          2 * static_cast<double>(in.shape().samples()) * sizeof(float) / 1e9, "GB/s"};
}

Yardstick fft(int side) {
  const Bare* bare = &Bare::of(side);
  return {"bare FFT there and back, " + std::to_string(side) + "x" + std::to_string(side),
          [bare] {
            bare->forward();
            bare->inverse();
          },
          static_cast<double>(side) * side / 1e6, "megapixels/s"};
}

Yardstick make(By by) {
  switch (by) {
    case By::copy:
      return copying("parallel copy, 3840x2160", large());
    case By::color_copy:
      return copying("parallel copy, 3840x2160 color", large_color());
    case By::multiply_add: {
      const auto work = [] {
        parallel_rows(
            threads(), 1 << 30,
            [](int first, int last) {
              for (int i = first; i < last; ++i) {
                float r = 1;
                multiply_adds(1000000, r);
                static std::atomic<float> sink;
                sink = r;
              }
            },
            1);
      };
      float r = 1;
      return {"multiply-adds in registers", work, threads() * multiply_adds(1000000, r) / 1e9, "billion/s"};
    }
    case By::fft_2048:
      return fft(2048);
    case By::fft_2048_there: {
      const Bare* bare = &Bare::of(2048);
      return {"bare FFT there, 2048x2048", [bare] { bare->forward(); }, 4.194304, "megapixels/s"};
    }
    case By::fft_1024:
      return fft(1024);
    case By::product: {
      auto a = std::make_shared<Eigen::MatrixXf>(Eigen::MatrixXf::Random(1024, 1024)),
           c = std::make_shared<Eigen::MatrixXf>(1024, 1024);
      return {"matrix product, 1024x1024, 1 thread", [a, c] { c->noalias() = *a * *a; }, 1.073741824, "billion/s"};
    }
    case By::exact_svd: {
      auto a = std::make_shared<Image>(noise(400, 400));
      return {"exact singular values, 400x400, 1 thread", [a] { (void)svd(*a, 0, SvdMethod::exact); }, 0.16,
              "megapixels/s"};
    }
    case By::jpeg:
      return {"baseline JPEG, pack, 1 thread", [] { to_jpeg(scene_bytes(), 3840, 2160); }, 8.2944, "megapixels/s"};
    case By::jpeg_back: {
      auto bytes = std::make_shared<std::vector<std::uint8_t>>(to_jpeg(scene_bytes(), 3840, 2160)),
           samples = std::make_shared<std::vector<std::uint8_t>>();
      return {"baseline JPEG, unpack, 1 thread", [bytes, samples] { from_jpeg(*bytes, *samples); }, 8.2944,
              "megapixels/s"};
    }
  }
  return {};
}

}  // namespace

void from_jpeg(const std::vector<std::uint8_t>& bytes, std::vector<std::uint8_t>& samples) {
  jpeg_decompress_struct c{};
  jpeg_error_mgr errors{};
  c.err = jpeg_std_error(&errors);
  jpeg_create_decompress(&c);
  jpeg_mem_src(&c, bytes.data(), bytes.size());
  jpeg_read_header(&c, TRUE);
  jpeg_start_decompress(&c);
  samples.resize(static_cast<std::size_t>(c.output_width) * c.output_height * 3);
  while (c.output_scanline < c.output_height) {
    JSAMPROW row = samples.data() + static_cast<std::size_t>(c.output_scanline) * c.output_width * 3;
    jpeg_read_scanlines(&c, &row, 1);
  }
  jpeg_finish_decompress(&c);
  jpeg_destroy_decompress(&c);
}

const Yardstick& yardstick(By by) {
  static std::map<By, Yardstick> all;
  const auto found = all.find(by);
  return found != all.end() ? found->second : all.emplace(by, make(by)).first->second;
}

std::vector<By> all_yardsticks() {
  return {By::copy,     By::color_copy, By::multiply_add, By::fft_2048, By::fft_2048_there,
          By::fft_1024, By::product,    By::exact_svd,    By::jpeg,     By::jpeg_back};
}

}  // namespace sieve::bench
