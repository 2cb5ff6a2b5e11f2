# A package with one export a component, so that a user of the core needs none of the codecs or drawing packages.
include(CMakePackageConfigHelpers)
set(config_dir ${CMAKE_INSTALL_LIBDIR}/cmake/LeanSieve)
foreach(component ${SIEVE_LIBRARIES})
  install(TARGETS sieve_${component} EXPORT LeanSieve-${component}
    ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}
    RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(EXPORT LeanSieve-${component} NAMESPACE LeanSieve:: DESTINATION ${config_dir})
endforeach()
# What each component asks for, as lines of LeanSieveConfig.cmake.
set(finds "")
foreach(component ${SIEVE_LIBRARIES})
  if(NOT component STREQUAL "core")
    string(REGEX REPLACE "([^\n]+)\n" "  \\1\n" lines "${finds_${component}}")
    string(APPEND finds "if(\"${component}\" IN_LIST _sieve_wanted)\n${lines}"
      "  include(\"\${CMAKE_CURRENT_LIST_DIR}/LeanSieve-${component}.cmake\")\n"
      "  set(LeanSieve_${component}_FOUND TRUE)\nendif()\n")
  endif()
endforeach()
configure_package_config_file(cmake/LeanSieveConfig.cmake.in ${PROJECT_BINARY_DIR}/LeanSieveConfig.cmake
  INSTALL_DESTINATION ${config_dir})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/LeanSieveConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/LeanSieveConfig.cmake ${PROJECT_BINARY_DIR}/LeanSieveConfigVersion.cmake
  DESTINATION ${config_dir})
# The same for pkg-config; the libraries are static, so what they need is named, too.
# Relative to the file itself, so that the installed tree can be moved.
file(RELATIVE_PATH pc_up /${CMAKE_INSTALL_LIBDIR}/pkgconfig /)
foreach(component ${SIEVE_LIBRARIES})
  if(NOT component STREQUAL "cli")
    list(JOIN pc_requires_${component} " " pc_requires)
    if(NOT component STREQUAL "core")
      string(PREPEND pc_requires "lean-sieve-core ")
    endif()
    configure_file(cmake/lean-sieve.pc.in ${PROJECT_BINARY_DIR}/lean-sieve-${component}.pc @ONLY)
    install(FILES ${PROJECT_BINARY_DIR}/lean-sieve-${component}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
  endif()
endforeach()
# The headers of what was built alone: a component that is missing has none that could be included by mistake.
set(headers_left_out "")
foreach(component reference io draw page device cli)
  if(NOT TARGET sieve_${component})
    list(APPEND headers_left_out PATTERN "sieve/${component}.hpp" EXCLUDE)
  endif()
endforeach()
install(DIRECTORY include/ DESTINATION ${CMAKE_INSTALL_INCLUDEDIR} COMPONENT headers ${headers_left_out})
if(SIEVE_TOOL)
  install(TARGETS lsieve RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  if(TARGET manual)
    install(FILES ${PROJECT_BINARY_DIR}/lsieve.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
    install(FILES ${PROJECT_BINARY_DIR}/lsieve.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions
      RENAME lsieve)
  endif()
  install(DIRECTORY data/demo DESTINATION ${CMAKE_INSTALL_DATADIR}/lean-sieve)
endif()
