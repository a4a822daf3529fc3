#pragma once

#include "dress/icon_pictures.h"
#include "project/project.h"
#include "support/error.h"
#include "support/files.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

namespace omnistasis::dress {

/// Where the parts of an output are, relative to the folder of outputs.
struct Shape {
    std::string output;      ///< the file or folder that is put there
    std::string executable;  ///< what people start: the output itself, or a file in it
    std::string tree;        ///< the app tree's folder; empty where it is in the payload
    std::string payload;     ///< the file with the payload, where the executable does not hold it; else empty
    std::string tree_folder; ///< the tree as seen from the folder of the launcher (docs/payload-format.md)
    bool is_archive =
        false; ///< the output is packed into one file at the end: `output` with `.zip` behind it
};

/// Calls back with the place and the content of each file of the app tree.
using EachTreeFile =
    std::function<void(const std::function<void(const std::string& place, ByteSpan content)>&)>;

/// What makes an output native to one system. One object for each; a new system is a new one.
class Platform {
  public:
    virtual ~Platform() = default;

    virtual Shape shape(const Project& project) const = 0;

    /// What this system does not allow in a project: a malformed version, a name that the output needs
    /// itself.
    virtual Result<void> check(const Project& project) const = 0;

    /// The launcher's bytes for this application, before the payload follows them. `icon` may be missing.
    virtual Result<std::string> dressed(std::string launcher, const Project& project,
                                        const IconPictures* icon) const = 0;

    /// The same of the runtime's own program, as whose icon and name the running application is shown; as it
    /// is where the system shows others.
    virtual std::string dressed_program(std::string program, const Project&, const IconPictures*) const {
        return program;
    }
    virtual bool dresses_programs() const { return false; }

    /// The bytes of the icon's file, where an output has one beside its program; empty where it has none.
    virtual std::string icon_file(const IconPictures&) const { return {}; }

    /// What is done to the whole output once all its files are there. `folder` is that of the shape's paths,
    /// `icon_file` what is made above; `each_file` shows the tree, wherever it is.
    virtual Result<void> finish(const std::filesystem::path& folder, const Project& project,
                                const IconPictures* icon, const std::string& icon_file,
                                const EachTreeFile& each_file) const = 0;

    /// The sizes of its icons: the edges of squares in pixels, ascending.
    virtual const std::vector<int>& icon_edges() const = 0;
};

/// The platform of a target.
const Platform& platform_of(const std::string& target);

/// The application's identifier: the project's, else one that is made from its name.
std::string identifier_of(const Project& project);

const Platform& linux_platform();
const Platform& windows_platform();
const Platform& macos_platform();

} // namespace omnistasis::dress
