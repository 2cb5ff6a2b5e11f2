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
