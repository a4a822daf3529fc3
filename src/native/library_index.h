#pragma once

#include <string>
#include <unordered_map>
#include <vector>

namespace omnistasis::native {

/// The native libraries below some folders, by their names: where another system's loader would find what its
/// files ask for, once they are together in one app tree.
class LibraryIndex {
  public:
    LibraryIndex() = default;
    /// `any_case`: names are compared as Windows does it. Folders in front are preferred.
    LibraryIndex(const std::vector<std::string>& folders, bool any_case);

    /// Takes one more file, behind all others, if its name is a library's.
    void add(const std::string& file);

    /// The library of a name that a file in the folder `beside` asks for: beside it, else the one that has
    /// most folders in common with it, and of those the one that lies highest; empty where there is none.
    std::string find(const std::string& name, const std::string& beside) const;

    /// All of that name, in the order of the folders.
    std::vector<std::string> all(const std::string& name) const;

  private:
    bool any_case_ = false;
    std::unordered_map<std::string, std::vector<std::string>> files_; ///< by file name
};

} // namespace omnistasis::native
