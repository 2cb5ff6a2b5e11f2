#include <sieve/draw.hpp>

int main() {
  sieve::draw::Sheet sheet("consumer");
  sheet.add(sieve::draw::picture_cell("black", sieve::Image(40, 30)));
  return sheet.png().empty() ? 1 : 0;
}
