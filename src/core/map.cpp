#include "sieve/core/map.hpp"

#include "core/rows.hpp"

namespace sieve {

using namespace internal;

void fill_window_rows(const ConstView& channel, int first_row, int rows, int reach, Border border, float fill,
                      float* buffer, std::ptrdiff_t stride) {
  for (int i = 0; i < rows; ++i) {
    rows::extend(channel, first_row + i, -reach, channel.width() + 2 * reach, border, fill, buffer + i * stride);
  }
}

}  // namespace sieve
