# What the program reads while it works: lore, lists of host libraries, data of the review, helper programs, the demo. In
# the build tree it lies where it lies after an installation: ../share/omnistasis, seen from the program.
set(data_folder ${PROJECT_BINARY_DIR}/share/omnistasis)
file(GLOB_RECURSE lore CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR} lore/* data/*)
file(GLOB helpers CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR} src/runtimes/python/helpers/*.py src/runtimes/node/helpers/*.cjs src/runtimes/lua/helpers/*.lua)
file(GLOB_RECURSE demo_files CONFIGURE_DEPENDS RELATIVE ${PROJECT_SOURCE_DIR} demo/harbour/tideboard/*)
list(FILTER demo_files EXCLUDE REGEX "__pycache__|/out/|[.]so$")

set(data_outputs)
function(place_data source place)
  add_custom_command(OUTPUT ${data_folder}/${place}
    COMMAND ${CMAKE_COMMAND} -E copy ${PROJECT_SOURCE_DIR}/${source} ${data_folder}/${place}
    DEPENDS ${PROJECT_SOURCE_DIR}/${source} VERBATIM)
  set(data_outputs ${data_outputs} ${data_folder}/${place} PARENT_SCOPE)
  get_filename_component(folder ${place} DIRECTORY)
  install(FILES ${PROJECT_SOURCE_DIR}/${source} DESTINATION share/omnistasis/${folder})
endfunction()
foreach(file ${lore})
  string(REGEX REPLACE "^data/" "" place ${file})
  place_data(${file} ${place})
endforeach()
foreach(file ${helpers})
  string(REGEX REPLACE "src/runtimes/([a-z]+)/helpers/" "\\1/" place ${file})
  place_data(${file} ${place})
endforeach()
foreach(file ${demo_files})
  string(REPLACE "demo/harbour/" "demo/" place ${file})
  place_data(${file} ${place})
endforeach()
add_custom_target(data ALL DEPENDS ${data_outputs})

# The demo's own native library.
add_library(harmonics MODULE demo/harbour/tideboard/native/harmonics.c)
set_target_properties(harmonics PROPERTIES PREFIX "" OUTPUT_NAME harmonics
  LIBRARY_OUTPUT_DIRECTORY ${data_folder}/demo/tideboard/tideboard/native)
target_link_libraries(harmonics PRIVATE m)
install(TARGETS harmonics DESTINATION share/omnistasis/demo/tideboard/tideboard/native)

# The same for other systems, where compilers for them are there: for Linux on another processor, ...
if(AARCH64_CC)
  set(harmonics_aarch64 ${data_folder}/demo/tideboard/tideboard/native/harmonics-aarch64.so)
  add_custom_command(OUTPUT ${harmonics_aarch64}
    COMMAND ${AARCH64_CC} -shared -fPIC -O2 -s -o ${harmonics_aarch64} ${PROJECT_SOURCE_DIR}/demo/harbour/tideboard/native/harmonics.c -lm
    DEPENDS ${PROJECT_SOURCE_DIR}/demo/harbour/tideboard/native/harmonics.c harmonics VERBATIM)
  add_custom_target(harmonics_for_aarch64 ALL DEPENDS ${harmonics_aarch64})
  install(FILES ${harmonics_aarch64} DESTINATION share/omnistasis/demo/tideboard/tideboard/native)
endif()

# ... for macOS on both processors in one file, ...
find_program(LLVM_LIPO NAMES llvm-lipo llvm-lipo-14)
if(CLANG_CXX AND MACH_O_LINKER AND LLVM_LIPO)
  set(harmonics_macos ${data_folder}/demo/tideboard/tideboard/native/harmonics.dylib)
  set(made ${PROJECT_BINARY_DIR}/harmonics)
  set(commands)
  foreach(architecture arm64 x86_64)
    list(APPEND commands
      COMMAND ${CLANG_CXX} -x c -target ${architecture}-apple-macos11 -O2 -c ${PROJECT_SOURCE_DIR}/demo/harbour/tideboard/native/harmonics.c -o ${made}-${architecture}.o
      COMMAND ${MACH_O_LINKER} -arch ${architecture} -platform_version macos 11.0 11.0 -dylib -undefined dynamic_lookup -adhoc_codesign
        -install_name @rpath/harmonics.dylib -o ${made}-${architecture}.dylib ${made}-${architecture}.o)
  endforeach()
  add_custom_command(OUTPUT ${harmonics_macos} ${commands}
    COMMAND ${LLVM_LIPO} -create ${made}-arm64.dylib ${made}-x86_64.dylib -output ${harmonics_macos}
    DEPENDS ${PROJECT_SOURCE_DIR}/demo/harbour/tideboard/native/harmonics.c harmonics VERBATIM)
  add_custom_target(harmonics_for_macos ALL DEPENDS ${harmonics_macos})
  install(FILES ${harmonics_macos} DESTINATION share/omnistasis/demo/tideboard/tideboard/native)
endif()

# ... and for Windows.
if(MINGW_CC)
  set(harmonics_windows ${data_folder}/demo/tideboard/tideboard/native/harmonics.dll)
  add_custom_command(OUTPUT ${harmonics_windows}
    COMMAND ${MINGW_CC} -shared -O2 -s -static-libgcc -Wl,--no-insert-timestamp -o ${harmonics_windows} ${PROJECT_SOURCE_DIR}/demo/harbour/tideboard/native/harmonics.c
    DEPENDS ${PROJECT_SOURCE_DIR}/demo/harbour/tideboard/native/harmonics.c harmonics VERBATIM)
  add_custom_target(harmonics_for_windows ALL DEPENDS ${harmonics_windows})
  install(FILES ${harmonics_windows} DESTINATION share/omnistasis/demo/tideboard/tideboard/native)

  # What proofs under Wine need of Windows and Wine does not have.
  file(MAKE_DIRECTORY ${data_folder}/wine)
  foreach(name bcryptprimitives icuuc)
    set(source ${PROJECT_SOURCE_DIR}/src/watch/wine/${name}.c)
    set(library ${data_folder}/wine/${name}.dll)
    add_custom_command(OUTPUT ${library}
      COMMAND ${MINGW_CC} -shared -O2 -s -static-libgcc -Wl,--no-insert-timestamp -o ${library} ${source} -ladvapi32
      DEPENDS ${source} VERBATIM)
    list(APPEND libraries_for_wine ${library})
  endforeach()
  add_custom_target(wine_libraries ALL DEPENDS ${libraries_for_wine})
  add_dependencies(data wine_libraries)
  install(FILES ${libraries_for_wine} DESTINATION share/omnistasis/wine)
endif()
