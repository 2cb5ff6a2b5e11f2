#include <sieve/front.hpp>

int main(int argc, char** argv) { return sieve::front::run(argc, argv, sieve::Catalogue::standard()); }
