#include "io/tiff_memory.hpp"

#include <algorithm>
#include <cstdarg>
#include <cstdio>
#include <cstring>
#include <limits>
#include <new>

namespace sieve::io {

namespace {

tmsize_t read_some(thandle_t h, void* to, tmsize_t n) {
  auto* m = static_cast<TiffMemory*>(h);
  const std::uint8_t* from = m->writing ? m->out.data() : m->in;
  const std::size_t have = m->writing ? m->out.size() : m->size;
  const std::size_t k = m->at >= have ? 0 : std::min(static_cast<std::size_t>(n), have - m->at);
  if (k > 0) std::memcpy(to, from + m->at, k);
  m->at += k;
  return static_cast<tmsize_t>(k);
}
tmsize_t write_some(thandle_t h, void* from, tmsize_t n) {
  auto* m = static_cast<TiffMemory*>(h);
  const auto k = static_cast<std::size_t>(n);
  if (m->out.size() < m->at + k) m->out.resize(m->at + k);
  std::memcpy(m->out.data() + m->at, from, k);
  m->at += k;
  return n;
}
toff_t seek(thandle_t h, toff_t offset, int whence) {
  auto* m = static_cast<TiffMemory*>(h);
  const std::size_t end = m->writing ? m->out.size() : m->size;
  m->at = whence == SEEK_SET ? offset : whence == SEEK_CUR ? m->at + offset : end + offset;
  return m->at;
}
toff_t size_of(thandle_t h) {
  const auto* m = static_cast<TiffMemory*>(h);
  return m->writing ? m->out.size() : m->size;
}
int close_nothing(thandle_t) { return 0; }

int on_error(TIFF*, void* h, const char*, const char* format, va_list arguments) {
  char text[512];
  std::vsnprintf(text, sizeof text, format, arguments);
  if (h != nullptr && static_cast<TiffMemory*>(h)->last_error.empty()) static_cast<TiffMemory*>(h)->last_error = text;
  return 1;
}
int on_warning(TIFF*, void*, const char*, const char*, va_list) { return 1; }

}  // namespace

TiffHandle open_tiff(TiffMemory& memory, const char* mode, const std::string& name, std::uint64_t largest) {
  TIFFOpenOptions* options = TIFFOpenOptionsAlloc();
  if (options == nullptr) throw std::bad_alloc();
  TIFFOpenOptionsSetErrorHandlerExtR(options, on_error, &memory);
  TIFFOpenOptionsSetWarningHandlerExtR(options, on_warning, &memory);
  TIFFOpenOptionsSetMaxSingleMemAlloc(
      options, static_cast<tmsize_t>(std::min<std::uint64_t>(largest, std::numeric_limits<tmsize_t>::max())));
  TiffHandle t(TIFFClientOpenExt(name.c_str(), mode, &memory, read_some, write_some, seek, close_nothing, size_of,
                                 nullptr, nullptr, options));
  TIFFOpenOptionsFree(options);
  return t;
}

}  // namespace sieve::io
