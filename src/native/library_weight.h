#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace omnistasis::native {

/// Where the library of a name lies that a file asks for; empty where it is not to be carried.
using FindLibrary = std::function<std::string(const std::string& name, const std::string& asking)>;

/// What this machine's loader has in its cache.
std::string library_of_this_machine(const std::string& name, const std::string& asking);

/// The size in bytes of the libraries that `files` need (ELF, PE, Mach-O), and those need in turn, besides
/// the ones that `there` need: what carrying the files would bring along. What is not found weighs nothing.
std::uint64_t weight_of_new_libraries(const std::vector<std::string>& files,
                                      const std::vector<std::string>& there,
                                      const FindLibrary& find = library_of_this_machine);

} // namespace omnistasis::native
