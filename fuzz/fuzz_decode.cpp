// Picture files of every format, told apart by their content.

#include "read_again.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  fuzz::read_again(data, size);
  return 0;
}
