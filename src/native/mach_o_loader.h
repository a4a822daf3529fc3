#pragma once

// How macOS's dynamic loader finds libraries (dyld(1)), and Mach-O files changed so that it finds those of an
// app tree.

#include "native/mach_o_reader.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::native {

/// The bytes of one processor's image in a Mach-O file; the whole file where it is not universal. Nothing
/// where it has none for that processor (a CPU_TYPE).
std::optional<ByteSpan> image_for(ByteSpan bytes, std::uint32_t processor);

/// The paths that a library's install name may lead to, seen from an image in `folder`; the program that runs
/// lies in `program_folder` (empty: not known). In the order in which the loader tries them.
std::vector<std::string> loaded_paths(const std::string& install_name, const MachImage& image,
                                      const std::string& folder, const std::string& program_folder);

/// The file that an absolute install name means in a tree which lies elsewhere now: the one at the end of the
/// path, as much of it as the tree has ("lib/libtide.1.dylib"). Empty where there is none.
std::string moved_library(const std::string& install_name, const std::string& tree);

/// What a Mach-O file becomes in an app tree.
struct MachPlace {
    std::uint32_t processor = 0;
    std::string place;          ///< of the file in the tree
    std::string program_folder; ///< place of the folder of the program that runs
    /// Libraries of the tree that it needs: last part of the install name, to place.
    std::map<std::string, std::string> libraries;
};

/// The file as it goes into the tree: one processor's image, in which names that would lead elsewhere lead to
/// the libraries' places, from where the file lies itself, with an ad-hoc signature where anything was
/// changed or where there was none. Empty where the file can go as it is.
Result<std::string> placed_mach_o(ByteSpan bytes, const MachPlace& where, const std::string& name);

} // namespace omnistasis::native
