#pragma once

#include "support/error.h"
#include "support/target_info.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::native {

/// The libraries that every system of a target has and that are never shipped, with the reason for each.
class HostLibraries {
  public:
    struct Entry {
        std::string pattern; ///< a library name, with `*` for any text
        std::string reason;
        std::vector<int> since{}; ///< the first version of the system that has it; empty: all that are known
    };

    /// Reads `<data>/hosts/<target>.toml` (docs/host-libraries.md).
    static Result<HostLibraries> read(const std::filesystem::path& data, const std::string& target);

    explicit HostLibraries(std::vector<Entry> entries, std::string target = host_target())
        : target_(std::move(target)), entries_(std::move(entries)) {}

    const std::string& target() const { return target_; }

    /// The C library's family: the libraries that are of one version with the dynamic loader.
    struct CLibrary {
        std::vector<Entry> family;
        std::string loader; ///< the dynamic loader's name
        bool carried = false;
    };
    const CLibrary& c_library() const { return c_library_; }
    void set_c_library(CLibrary library) { c_library_ = std::move(library); }

    /// Ships the C library's family, dynamic loader included.
    void carry_c_library();

    /// Whether `name` is of the C library's family and is shipped: such files stay as they are, because they
    /// need nothing but one another, and the program has loaded them all.
    bool is_carried_c_library(const std::string& name) const;

    /// Libraries that a host library opens by itself while a program runs, and that are shipped therefore.
    const std::vector<std::string>& opened() const { return opened_; }
    void set_opened(std::vector<std::string> names) { opened_ = std::move(names); }

    /// Files besides libraries that every system of the target has its own of, or can do without: absolute
    /// paths,
    /// `**` for any text.
    void set_files(std::vector<Entry> files) { files_ = std::move(files); }
    const Entry* find_file(const std::string& path) const;

    /// Folders and files that a shipped library looks into, by names that it puts together, and to which
    /// other packages add.
    struct PlugIns {
        std::string library;              ///< as it is asked for, with `*` for any text
        std::vector<std::string> paths;   ///< absolute
        std::vector<std::string> without; ///< patterns of what stays out, relative to a path
        std::string place; ///< of the app tree, for folders that lie elsewhere than beside the libraries
    };
    const std::vector<PlugIns>& plug_ins() const { return plug_ins_; }
    void set_plug_ins(std::vector<PlugIns> plug_ins) { plug_ins_ = std::move(plug_ins); }

    /// Libraries that belong to this machine's devices: the host's own libraries open them by themselves.
    void set_drivers(std::vector<std::string> patterns) { drivers_ = std::move(patterns); }
    bool is_driver(const std::string& name) const;

    /// Moves names (or patterns) to one side or the other, whatever the list says.
    void move(const std::vector<std::string>& carried, const std::vector<std::string>& host);

    /// The entry that says that `name` belongs to the target; null where it is shipped.
    const Entry* find(const std::string& name) const;

  private:
    std::string target_;
    std::vector<Entry> entries_;
    std::vector<Entry> files_;
    std::vector<std::string> drivers_;
    std::vector<PlugIns> plug_ins_;
    std::vector<std::string> carried_;
    std::vector<std::string> opened_;
    CLibrary c_library_;
};

} // namespace omnistasis::native
