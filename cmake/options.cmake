# Warnings and switches that every target of the project shares.
option(SIEVE_WERROR "Treat warnings as errors" OFF)
add_library(sieve_options INTERFACE)
target_compile_features(sieve_options INTERFACE cxx_std_20)
# No contraction: plain double code (the random stream, the demo pictures) gives the same bytes everywhere.
target_compile_options(sieve_options INTERFACE -Wall -Wextra -Wshadow -Wconversion -Wnon-virtual-dtor -ffp-contract=off
  # GCC 12 sees overlaps in std::string that are not there.
  "$<$<CXX_COMPILER_ID:GNU>:-Wno-restrict;-Wno-stringop-overflow;-Wno-array-bounds>"
  $<$<BOOL:${SIEVE_WERROR}>:-Werror>)
# Programs and libraries whose tables of addresses cannot be written once they run.
target_link_options(sieve_options INTERFACE "$<$<PLATFORM_ID:Linux>:LINKER:-z,relro,-z,now>")
# For the rooms that read what strangers made. Elsewhere loops would pay for it.
add_library(sieve_hardened INTERFACE)
target_compile_options(sieve_hardened INTERFACE
  "$<$<CONFIG:Release>:-fstack-protector-strong;-fstack-clash-protection;-U_FORTIFY_SOURCE;-D_FORTIFY_SOURCE=2>")
