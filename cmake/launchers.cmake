# The launchers: small static programs, one for each target, that are built here and copied into every output. They
# link a C library that is made for static programs and libzstd's decoder, and nothing else.
find_program(MUSL_GCC musl-gcc REQUIRED)
execute_process(COMMAND ${MUSL_GCC} -print-file-name=include OUTPUT_VARIABLE compiler_headers OUTPUT_STRIP_TRAILING_WHITESPACE)
find_library(ZSTD_STATIC libzstd.a REQUIRED)

set(launcher_folder ${PROJECT_BINARY_DIR}/lib/omnistasis)
set(launcher_flags -std=c++20 -O2 -nostdinc -nostdinc++
  -isystem /usr/include/x86_64-linux-musl -isystem ${compiler_headers} -idirafter /usr/include
  -fno-exceptions -fno-rtti -fno-threadsafe-statics -fno-asynchronous-unwind-tables -ffunction-sections -fdata-sections
  -fstack-protector-strong -D_GNU_SOURCE -Wall -Wextra -Wpedantic -Werror)

set(launcher_objects)
foreach(name posix carried_loader unpack_posix payload_reader sha256)
  set(object ${PROJECT_BINARY_DIR}/launcher/${name}.o)
  add_custom_command(OUTPUT ${object}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${PROJECT_BINARY_DIR}/launcher
    COMMAND ${CMAKE_CXX_COMPILER} ${launcher_flags} -MD -MF ${object}.d -c ${PROJECT_SOURCE_DIR}/launcher/${name}.cpp -o ${object}
    DEPENDS ${PROJECT_SOURCE_DIR}/launcher/${name}.cpp DEPFILE ${object}.d VERBATIM)
  list(APPEND launcher_objects ${object})
endforeach()
# Far from where programs with a fixed address are: a program of the tree is loaded beside it (carried_loader.h).
add_custom_command(OUTPUT ${launcher_folder}/launcher-linux-x86_64
  COMMAND ${CMAKE_COMMAND} -E make_directory ${launcher_folder}
  COMMAND ${MUSL_GCC} -static -no-pie -Wl,-Ttext-segment=0x70000000 -s -Wl,--gc-sections -Wl,--build-id=none -Wl,-z,noexecstack -o ${launcher_folder}/launcher-linux-x86_64
          ${launcher_objects} ${ZSTD_STATIC}
  DEPENDS ${launcher_objects} VERBATIM)
add_custom_target(launchers ALL DEPENDS ${launcher_folder}/launcher-linux-x86_64)
install(PROGRAMS ${launcher_folder}/launcher-linux-x86_64 DESTINATION lib/omnistasis)
