# Writes the kernels as a string literal into a C++ file: cmake -DFILE=windows.cl -DOUT=FILE -P hold_kernels.cmake
file(READ ${FILE} contents)
file(WRITE ${OUT} "#include \"device/launch.hpp\"\n\nnamespace sieve::internal::device {\nconst char* window_source() {\n  return R\"cl~(${contents})cl~\";\n}\n}  // namespace sieve::internal::device\n")
