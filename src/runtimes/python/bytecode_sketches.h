#pragma once

#include "runtimes/python/facts.h"
#include "support/store.h"

#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <string>

namespace omnistasis::python {

/// What modules ask for that are there as bytecode alone, as a source that asks for the same: an interpreter
/// of their version reads it out of the code. Safe to use from many threads.
class BytecodeSketches {
  public:
    BytecodeSketches(std::string interpreter, std::filesystem::path helpers, std::shared_ptr<Store> store)
        : interpreter_(std::move(interpreter)), helpers_(std::move(helpers)), store_(std::move(store)) {}

    /// The sketch of a file; empty where it can't be read, or is another version's. Those of all bytecode in
    /// the same folder are made along with it.
    std::string of(const std::string& file);

  private:
    std::string key_of(const std::string& file, bool* settled) const;
    void make(const std::string& folder);

    std::string interpreter_; ///< empty: there is none of the version
    std::filesystem::path helpers_;
    std::shared_ptr<Store> store_;
    std::mutex mutex_;
    std::map<std::string, std::string> made_; ///< by file
};

} // namespace omnistasis::python
