#pragma once

#include "trace/capabilities.h"

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::node {

/// How a file asks for another.
enum class RequestKind : std::uint8_t {
    require,        ///< require(...), and functions that createRequire made
    import_static,  ///< import and export statements
    import_dynamic, ///< import(...)
    resolve,        ///< require.resolve(...), import.meta.resolve(...)
    start,          ///< new Worker("..."), fork("..."): relative to the folder that the program is in
    file,           ///< a path that begins with the file's own folder
    mention,        ///< a text that may be the relative path of a module, whatever is done with it
};

// In a text that a scan gives, these stand for what is known only later.
constexpr char own_folder = '\x01'; ///< the folder of the file
constexpr char own_file = '\x02';   ///< the file
constexpr char unknown = '\x03';    ///< any text

struct Request {
    RequestKind kind = RequestKind::require;
    std::string text; ///< what is asked for
    std::uint32_t line = 0;
    bool guarded = false;     ///< in a `try`, or with a handler for a rejection
    bool in_function = false; ///< not done when the file is loaded, or not always
};

using trace::VariableRead;

struct ScanResult {
    std::vector<Request> requests;
    std::vector<VariableRead> variables;
    bool imports_late = false; ///< has import(...), or makes functions out of texts that may have it
    bool is_module = false;    ///< has import or export statements, or import.meta
};

/// Walks a JavaScript source once and finds all that it asks for. Arguments are followed through constants,
/// templates, sums and the functions of `path` and `url`. Survives any bytes.
ScanResult scan(std::string_view text);

} // namespace omnistasis::node
