# Writes the files of page/ as string literals into a C++ file: cmake -DOUT=FILE -DFOLDER=page -P hold_page.cmake
file(GLOB files RELATIVE ${FOLDER} ${FOLDER}/*.js ${FOLDER}/*.css ${FOLDER}/*.html)
set(text "#include \"page/document.hpp\"\n\nnamespace sieve::internal::page {\nnamespace {\nconstexpr PageFile kFiles[] = {\n")
foreach(name ${files})
  file(READ ${FOLDER}/${name} contents)
  string(APPEND text "{\"${name}\", R\"page~(${contents})page~\"},\n")
endforeach()
string(APPEND text "};\n}  // namespace\nstd::span<const PageFile> page_files() { return kFiles; }\n}  // namespace sieve::internal::page\n")
file(WRITE ${OUT} "${text}")
