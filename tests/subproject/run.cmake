# Configures the project beside and installs the headers of what it would build. Called by CTest with SOURCE, TREE, BUILD,
# GENERATOR and COMPILER.
file(REMOVE_RECURSE ${BUILD})
execute_process(COMMAND ${CMAKE_COMMAND} -G ${GENERATOR} -S ${SOURCE} -B ${BUILD} -DTREE=${TREE}
  -DCMAKE_CXX_COMPILER=${COMPILER} -DSIEVE_INSTALL=ON OUTPUT_QUIET COMMAND_ERROR_IS_FATAL ANY)
execute_process(COMMAND ${CMAKE_COMMAND} --install ${BUILD} --component headers --prefix ${BUILD}/installed
  OUTPUT_QUIET COMMAND_ERROR_IS_FATAL ANY)
foreach(header sieve io reference core/version)
  if(NOT EXISTS ${BUILD}/installed/include/sieve/${header}.hpp)
    message(FATAL_ERROR "not installed: sieve/${header}.hpp")
  endif()
endforeach()
foreach(header draw cli)
  if(EXISTS ${BUILD}/installed/include/sieve/${header}.hpp)
    message(FATAL_ERROR "installed although it was not built: sieve/${header}.hpp")
  endif()
endforeach()
# Core alone, and a machine without a package: what to install is named.
execute_process(COMMAND ${CMAKE_COMMAND} -G ${GENERATOR} -S ${TREE} -B ${BUILD}/core -DSIEVE_COMPONENTS=core
  -DSIEVE_BENCH=OFF -DCMAKE_CXX_COMPILER=${COMPILER} OUTPUT_QUIET COMMAND_ERROR_IS_FATAL ANY)
file(GLOB asked RELATIVE ${BUILD}/core ${BUILD}/core/*.pc)
if(NOT asked STREQUAL "lean-sieve-core.pc")
  message(FATAL_ERROR "core alone brought ${asked}")
endif()
execute_process(COMMAND ${CMAKE_COMMAND} -E env PKG_CONFIG_LIBDIR=/nonexistent
  ${CMAKE_COMMAND} -G ${GENERATOR} -S ${TREE} -B ${BUILD}/missing -DSIEVE_COMPONENTS=core -DSIEVE_BENCH=OFF
  -DCMAKE_CXX_COMPILER=${COMPILER} OUTPUT_QUIET ERROR_VARIABLE said RESULT_VARIABLE code)
string(REGEX REPLACE "[ \n]+" " " said "${said}")
if(code EQUAL 0 OR NOT said MATCHES "packages are missing; on Debian: apt install libhwy-dev .*libfftw3-dev")
  message(FATAL_ERROR "a missing package is not named: ${said}")
endif()
