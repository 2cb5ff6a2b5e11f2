#include "sieve/cli.hpp"

int main(int argc, char** argv) { return sieve::cli::run(argc, argv); }
