# The launchers: small static programs, one for each target, that are built here and copied into every output. They
# link a C library that is made for static programs and libzstd's decoder, and where a signature is checked libsodium's Ed25519.
find_program(MUSL_GCC musl-gcc REQUIRED)
execute_process(COMMAND ${MUSL_GCC} -print-file-name=include OUTPUT_VARIABLE compiler_headers OUTPUT_STRIP_TRAILING_WHITESPACE)
find_library(ZSTD_STATIC libzstd.a REQUIRED)
# From its source, for all systems alike (scripts/fetch_sources.sh).
set(SODIUM_SOURCE ${PROJECT_SOURCE_DIR}/build/sources/libsodium CACHE PATH "the source of libsodium")
if(NOT EXISTS ${SODIUM_SOURCE}/src/libsodium)
  message(FATAL_ERROR "the source of libsodium is missing: run scripts/fetch_sources.sh")
endif()
set(sodium ${SODIUM_SOURCE}/src/libsodium)
set(signature_check ${sodium}/crypto_sign/ed25519/ref10/open.c ${sodium}/crypto_sign/ed25519/ref10/sign.c ${sodium}/crypto_core/ed25519/ref10/ed25519_ref10.c
  ${sodium}/crypto_hash/sha512/cp/hash_sha512_cp.c ${sodium}/crypto_verify/sodium/verify.c ${sodium}/sodium/utils.c)
set(sodium_flags -O2 -w -ffunction-sections -fdata-sections -DCONFIGURED=1 -DNATIVE_LITTLE_ENDIAN=1
  -I${sodium}/include -I${sodium}/include/sodium -I${sodium}/include/sodium/private)

set(launcher_folder ${PROJECT_BINARY_DIR}/lib/omnistasis)
set(launcher_flags -std=c++20 -O2 -nostdinc -nostdinc++
  -isystem /usr/include/x86_64-linux-musl -isystem ${compiler_headers} -idirafter /usr/include
  -fno-exceptions -fno-rtti -fno-threadsafe-statics -fno-asynchronous-unwind-tables -ffunction-sections -fdata-sections
  -fstack-protector-strong -D_GNU_SOURCE -Wall -Wextra -Wpedantic -Werror -I${sodium}/include)

# The objects of `sources` for `target`, made by the compiler behind `compiler` with flags of its own.
function(add_foreign_objects target compiler sources result)
  set(objects)
  foreach(source ${sources})
    get_filename_component(name ${source} NAME)
    set(object ${PROJECT_BINARY_DIR}/launcher/${target}/${name}.o)
    add_custom_command(OUTPUT ${object}
      COMMAND ${CMAKE_COMMAND} -E make_directory ${PROJECT_BINARY_DIR}/launcher/${target}
      COMMAND ${compiler} ${ARGN} -MD -MF ${object}.d -c ${source} -o ${object}
      DEPENDS ${source} DEPFILE ${object}.d VERBATIM)
    list(APPEND objects ${object})
  endforeach()
  set(${result} ${objects} PARENT_SCOPE)
endfunction()

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
foreach(name posix self files_posix system_linux start_linux carried_loader tree_place_posix unpack_posix stream_layout old_trees_posix state_posix trusted_folder_posix
        message_window payload_reader code_filter sha256)
  add_launcher_object(${name} object)
  list(APPEND launcher_objects ${object})
endforeach()
add_launcher_object(no_signature without_signature)
add_launcher_object(signature with_signature)
# The one that checks a signature is larger, so it is only in front of what is signed.
add_launcher(launcher-linux-x86_64 ${launcher_objects} ${without_signature} ${ZSTD_STATIC})
add_foreign_objects(linux-x86_64 ${MUSL_GCC} "${signature_check}" check ${sodium_flags})
add_launcher(launcher-signed-linux-x86_64 ${launcher_objects} ${with_signature} ${ZSTD_STATIC} ${check})
set(launchers ${launcher_folder}/launcher-linux-x86_64 ${launcher_folder}/launcher-signed-linux-x86_64)

# The library that leads compiled-in paths into the tree: loaded by programs of the tree, so for their C library.
set(places_source ${PROJECT_SOURCE_DIR}/launcher/fixed_places.cpp)
set(places_library ${launcher_folder}/fixed-places-linux-x86_64.so)
add_custom_command(OUTPUT ${places_library}
  COMMAND ${CMAKE_COMMAND} -E make_directory ${launcher_folder}
  COMMAND ${CMAKE_CXX_COMPILER} -std=c++20 -O2 -fPIC -shared -fno-exceptions -fno-rtti -nodefaultlibs -fvisibility=hidden
    -fno-builtin -Wall -Wextra -Wpedantic -Werror -Wl,-z,defs -Wl,-soname,fixed-places.so -Wl,--build-id=none -s
    -o ${places_library} ${places_source} -lc
  DEPENDS ${places_source} VERBATIM)
list(APPEND launchers ${places_library})

# Those for other systems are built with their compilers; zstd's decoder comes from its source (scripts/fetch_sources.sh).
set(ZSTD_SOURCE ${PROJECT_SOURCE_DIR}/build/sources/zstd CACHE PATH "the source of zstd")
if(NOT EXISTS ${ZSTD_SOURCE}/lib/zstd.h)
  message(FATAL_ERROR "the source of zstd is missing: run scripts/fetch_sources.sh")
endif()
file(GLOB zstd_decoder ${ZSTD_SOURCE}/lib/common/*.c ${ZSTD_SOURCE}/lib/decompress/*.c)
set(freestanding_flags -std=c++20 -O2 -fno-exceptions -fno-rtti -fno-threadsafe-statics -fno-asynchronous-unwind-tables
  -ffunction-sections -fdata-sections -Wall -Wextra -Wpedantic -Werror -I${PROJECT_SOURCE_DIR}/launcher -I${ZSTD_SOURCE}/lib -I${sodium}/include)

# The launcher `name`, of `inputs`, made by the linker's command that follows.
function(add_foreign_launcher name inputs)
  add_custom_command(OUTPUT ${launcher_folder}/${name}
    COMMAND ${CMAKE_COMMAND} -E make_directory ${launcher_folder}
    COMMAND ${ARGN} -o ${launcher_folder}/${name}.new ${inputs}
    COMMAND ${CMAKE_COMMAND} -E rename ${launcher_folder}/${name}.new ${launcher_folder}/${name}
    DEPENDS ${inputs} VERBATIM)
  set(launchers ${launchers} ${launcher_folder}/${name} PARENT_SCOPE)
endfunction()
function(sources_of result)
  set(sources)
  foreach(name ${ARGN})
    list(APPEND sources ${PROJECT_SOURCE_DIR}/launcher/${name}.cpp)
  endforeach()
  set(${result} ${sources} PARENT_SCOPE)
endfunction()
set(decoder_flags -O2 -DZSTD_DISABLE_ASM -ffunction-sections -fdata-sections -I${ZSTD_SOURCE}/lib)

# A launcher whose compiler is missing is left out; `omnistasis targets` says so.
find_program(AARCH64_CXX aarch64-linux-gnu-g++)
find_program(AARCH64_CC aarch64-linux-gnu-gcc)
if(AARCH64_CXX AND AARCH64_CC)
  sources_of(sources posix self files_posix system_linux start_linux carried_loader tree_place_posix unpack_posix stream_layout old_trees_posix state_posix trusted_folder_posix
    message_window payload_reader code_filter sha256)
  sources_of(open_sources no_signature)
  sources_of(signed_sources signature)
  add_foreign_objects(linux-aarch64 ${AARCH64_CXX} "${sources}" objects ${freestanding_flags} -D_GNU_SOURCE -fstack-protector-strong)
  add_foreign_objects(linux-aarch64 ${AARCH64_CXX} "${open_sources}" open ${freestanding_flags})
  add_foreign_objects(linux-aarch64 ${AARCH64_CXX} "${signed_sources}" signed ${freestanding_flags})
  add_foreign_objects(linux-aarch64 ${AARCH64_CC} "${zstd_decoder}" decoder ${decoder_flags})
  add_foreign_objects(linux-aarch64 ${AARCH64_CC} "${signature_check}" check ${sodium_flags})
  set(link ${AARCH64_CC} -static -no-pie -Wl,-Ttext-segment=0x70000000 -s -Wl,--gc-sections -Wl,--build-id=none -Wl,-z,noexecstack
    -Wl,--no-warnings)
  add_foreign_launcher(launcher-linux-aarch64 "${objects};${open};${decoder}" ${link})
  add_foreign_launcher(launcher-signed-linux-aarch64 "${objects};${signed};${decoder};${check}" ${link})
else()
  message(STATUS "No launcher for linux-aarch64: its compiler is missing (Debian: g++-aarch64-linux-gnu)")
endif()

find_program(MINGW_CXX x86_64-w64-mingw32-g++)
find_program(MINGW_CC x86_64-w64-mingw32-gcc)
if(MINGW_CXX AND MINGW_CC)
  sources_of(sources windows self_windows files_windows unpack_windows stream_layout tree_place_windows program_windows error_text_windows old_trees_windows
    state_windows junction_windows rights_windows payload_reader code_filter sha256)
  sources_of(open_sources no_signature)
  sources_of(signed_sources signature)
  add_foreign_objects(windows-x86_64 ${MINGW_CXX} "${sources}" objects ${freestanding_flags} -DUNICODE -D_WIN32_WINNT=0x0A00)
  add_foreign_objects(windows-x86_64 ${MINGW_CXX} "${open_sources}" open ${freestanding_flags})
  add_foreign_objects(windows-x86_64 ${MINGW_CXX} "${signed_sources}" signed ${freestanding_flags})
  add_foreign_objects(windows-x86_64 ${MINGW_CC} "${zstd_decoder}" decoder ${decoder_flags})
  add_foreign_objects(windows-x86_64 ${MINGW_CC} "${signature_check}" check ${sodium_flags})
  set(link ${MINGW_CC} -static -s -Wl,--gc-sections -Wl,--no-insert-timestamp)
  add_foreign_launcher(launcher-windows-x86_64 "${objects};${open};${decoder}" ${link})
  add_foreign_launcher(launcher-signed-windows-x86_64 "${objects};${signed};${decoder};${check}" ${link})
else()
  message(STATUS "No launcher for windows-x86_64: its compiler is missing (Debian: g++-mingw-w64-x86-64)")
endif()

find_program(CLANG_CXX NAMES clang++ clang++-14)
find_program(CLANG_CC NAMES clang clang-14)
find_program(MACH_O_LINKER NAMES ld64.lld ld64.lld-14)
if(CLANG_CXX AND CLANG_CC AND MACH_O_LINKER)
  execute_process(COMMAND ${CLANG_CXX} -print-resource-dir OUTPUT_VARIABLE clang_headers OUTPUT_STRIP_TRAILING_WHITESPACE)
  sources_of(sources posix self files_posix macos/system tree_place_posix unpack_posix stream_layout old_trees_posix state_posix trusted_folder_posix
    payload_reader code_filter sha256)
  sources_of(open_sources no_signature)
  sources_of(signed_sources signature)
  # Without the system's headers: what is called is declared in launcher/macos/include, as the manual has it.
  set(macos_headers -fno-stack-protector -nostdinc -isystem ${clang_headers}/include -I${PROJECT_SOURCE_DIR}/launcher/macos/include)
  foreach(processor aarch64 x86_64)
    string(REPLACE aarch64 arm64 architecture ${processor})
    set(macos_flags ${macos_headers} -target ${architecture}-apple-macos11)
    foreach(part sources open_sources signed_sources)
      add_foreign_objects(macos-${processor} ${CLANG_CXX} "${${part}}" of_${part} ${freestanding_flags} -nostdinc++ ${macos_flags})
    endforeach()
    add_foreign_objects(macos-${processor} ${CLANG_CC} "${zstd_decoder}" decoder ${decoder_flags} -ffreestanding ${macos_flags})
    add_foreign_objects(macos-${processor} ${CLANG_CC} "${signature_check}" check ${sodium_flags} -ffreestanding ${macos_flags})
    set(library ${PROJECT_SOURCE_DIR}/launcher/macos/libSystem.tbd)
    set(link ${MACH_O_LINKER} -arch ${architecture} -platform_version macos 11.0 11.0 -dead_strip -adhoc_codesign -headerpad 0x100)
    add_foreign_launcher(launcher-macos-${processor} "${of_sources};${of_open_sources};${decoder};${library}" ${link})
    add_foreign_launcher(launcher-signed-macos-${processor} "${of_sources};${of_signed_sources};${decoder};${check};${library}" ${link})
  endforeach()
else()
  message(STATUS "No launcher for macOS: its compiler is missing (Debian: clang and lld)")
endif()
add_custom_target(launchers ALL DEPENDS ${launchers})
install(PROGRAMS ${launchers} DESTINATION lib/omnistasis)
