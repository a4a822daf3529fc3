# The launchers: small static programs, one for each target, that are built here and copied into every output. They
# link a C library that is made for static programs and libzstd's decoder, and where a signature is checked libsodium's Ed25519.
find_program(MUSL_GCC musl-gcc REQUIRED)
execute_process(COMMAND ${MUSL_GCC} -print-file-name=include OUTPUT_VARIABLE compiler_headers OUTPUT_STRIP_TRAILING_WHITESPACE)
find_library(ZSTD_STATIC libzstd.a REQUIRED)
find_library(SODIUM_STATIC libsodium.a REQUIRED)

set(launcher_folder ${PROJECT_BINARY_DIR}/lib/omnistasis)
set(launcher_flags -std=c++20 -O2 -nostdinc -nostdinc++
  -isystem /usr/include/x86_64-linux-musl -isystem ${compiler_headers} -idirafter /usr/include
  -fno-exceptions -fno-rtti -fno-threadsafe-statics -fno-asynchronous-unwind-tables -ffunction-sections -fdata-sections
  -fstack-protector-strong -D_GNU_SOURCE -Wall -Wextra -Wpedantic -Werror)

function(add_launcher_object name result)
  set(object ${PROJECT_BINARY_DIR}/launcher/${name}.o)
  add_custom_command(OUTPUT ${object}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${PROJECT_BINARY_DIR}/launcher
    COMMAND ${CMAKE_CXX_COMPILER} ${launcher_flags} -MD -MF ${object}.d -c ${PROJECT_SOURCE_DIR}/launcher/${name}.cpp -o ${object}
    DEPENDS ${PROJECT_SOURCE_DIR}/launcher/${name}.cpp DEPFILE ${object}.d VERBATIM)
  set(${result} ${object} PARENT_SCOPE)
endfunction()

# Far from where programs with a fixed address are: a program of the tree is loaded beside it (carried_loader.h).
function(add_launcher file)
  add_custom_command(OUTPUT ${launcher_folder}/${file}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${launcher_folder}
    COMMAND ${MUSL_GCC} -static -no-pie -Wl,-Ttext-segment=0x70000000 -s -Wl,--gc-sections -Wl,--build-id=none -Wl,-z,noexecstack -o ${launcher_folder}/${file} ${ARGN}
    DEPENDS ${ARGN} VERBATIM)
endfunction()

set(launcher_objects)
foreach(name posix self files_posix carried_loader tree_place_posix unpack_posix old_trees_posix state_posix
        message_window payload_reader sha256)
  add_launcher_object(${name} object)
  list(APPEND launcher_objects ${object})
endforeach()
add_launcher_object(no_signature without_signature)
add_launcher_object(signature with_signature)
# The one that checks a signature is larger, so it is only in front of what is signed.
add_launcher(launcher-linux-x86_64 ${launcher_objects} ${without_signature} ${ZSTD_STATIC})
add_launcher(launcher-signed-linux-x86_64 ${launcher_objects} ${with_signature} ${ZSTD_STATIC} ${SODIUM_STATIC})
set(launchers ${launcher_folder}/launcher-linux-x86_64 ${launcher_folder}/launcher-signed-linux-x86_64)
add_custom_target(launchers ALL DEPENDS ${launchers})
install(PROGRAMS ${launchers} DESTINATION lib/omnistasis)
