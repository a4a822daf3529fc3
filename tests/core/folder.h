#pragma once

#include "support/files.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <unistd.h>

namespace omnistasis::test {

/// A temporary folder with a space in its name.
class Folder {
  public:
    Folder() : path_(fs::temp_directory_path() / fmt::format("omnistasis core {} {}", ::getpid(), next())) {
        fs::create_directories(path_);
    }
    ~Folder() { fs::remove_all(path_); }
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;

    const fs::path& path() const { return path_; }
    std::string operator/(const std::string& name) const { return (path_ / name).string(); }

    std::string write(const std::string& name, const std::string& content = "") const {
        fs::path file = path_ / name;
        fs::create_directories(file.parent_path());
        REQUIRE(write_atomically(file, content));
        return file.string();
    }

  private:
    static int next() {
        static std::atomic<int> count = 0;
        return count++;
    }
    fs::path path_;
};

} // namespace omnistasis::test
