#pragma once

#include "project/project.h"

#include <functional>
#include <string>
#include <variant>
#include <vector>

// The keys of omnistasis.toml, described once: the file is read and written from this description, and the
// order here is the order in which it is written. docs/project-file.md says what each means.

namespace omnistasis {

/// A key's value, by its type.
using KeyValue = std::variant<std::string, std::vector<std::string>, bool>;

/// A key of a table.
struct ProjectKey {
    std::string name;
    KeyValue type; ///< an empty value of the type that it has
    /// Puts a value of that type into the project; `where` is the value's place, for messages.
    std::function<Result<void>(Project&, KeyValue, const std::string& where)> put;
    /// The project's value; one that is empty (or false) is not written.
    std::function<KeyValue(const Project&)> value;
};

/// A key of a record, which is a text.
struct RecordKey {
    std::string name;
    std::string needed_because; ///< why a record can't be without it; empty where it can
};

/// A list of tables, as [[asset]].
struct ProjectRecords {
    std::string name;
    std::vector<RecordKey> keys;
    std::function<void(Project&, const std::string& where)> add;           ///< an empty one at the end
    std::function<void(Project&, std::size_t key, std::string value)> put; ///< into the last
    std::function<std::size_t(const Project&)> count;
    std::function<std::string(const Project&, std::size_t record, std::size_t key)> value;
};

/// A table with its keys, and the lists of tables below it.
struct ProjectTable {
    std::string name;
    std::vector<ProjectKey> keys;
    std::vector<ProjectRecords> lists;
};

/// What stands at the top of a project file.
using ProjectPart = std::variant<ProjectTable, ProjectRecords>;
const std::vector<ProjectPart>& project_parts();

} // namespace omnistasis
