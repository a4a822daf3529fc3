#pragma once

#include <map>
#include <mutex>
#include <string>

namespace omnistasis::node {

/// Where files go in the app tree, so that the runtime finds each from where it is asked for. The project and
/// the folders above it that hold its packages keep their shape. A package that is reached over a link (of a
/// workspace, of a store of packages) goes where the link is, if that is at the top; else below the package
/// that asks for it: the tree itself has no links.
class Placement {
  public:
    /// `folder` is the project's.
    explicit Placement(const std::string& folder);

    /// The folder above all that keeps its shape.
    const std::string& base() const { return base_; }

    /// The place of the real file `file`, asked for by `from`, which has the place `from_place`. `name` is
    /// the package's name as it was asked for; empty for a path.
    std::string place_of(const std::string& file, const std::string& from, const std::string& from_place,
                         const std::string& name);

    /// The place of a file of the project.
    std::string own_place(const std::string& file) const;

    /// The folder of the package that a file belongs to: the one in `node_modules`, else the base.
    std::string package_root(const std::string& file) const;

    /// Whether a file belongs to the project, not to a package.
    bool is_own(const std::string& file) const;

  private:
    void take_links(const std::string& packages);

    std::string base_;
    std::map<std::string, std::string> top_;    ///< packages at the top: name to real folder
    std::map<std::string, std::string> linked_; ///< real folder to place
    std::mutex mutex_;
    std::map<std::string, std::string> instances_; ///< place of a package to its real folder
};

} // namespace omnistasis::node
