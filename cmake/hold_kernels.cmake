# Writes the kernels as string literals into a C++ file: cmake -DFOLDER=device -DOUT=FILE -P hold_kernels.cmake
file(GLOB kernels ${FOLDER}/*.cl)
set(code "#include \"device/sources.hpp\"\n\nnamespace sieve::internal::device {\nconst char* held_kernels(const std::string& name) {\n")
foreach(kernel ${kernels})
  get_filename_component(name ${kernel} NAME_WE)
  file(READ ${kernel} contents)
  string(APPEND code "  if (name == \"${name}\")\n    return R\"cl~(${contents})cl~\";\n")
endforeach()
file(WRITE ${OUT} "${code}  return \"\";\n}\n}  // namespace sieve::internal::device\n")
