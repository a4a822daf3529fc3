#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

/// The modules that a QML document imports: "QtQuick.Controls" of `import QtQuick.Controls 2.15 as C`.
/// Imports of folders and scripts, which are texts, are left out.
std::vector<std::string> qml_imports(std::string_view document);

/// The modules that the definition of a QML module (a file `qmldir`) depends on or imports.
std::vector<std::string> qmldir_imports(std::string_view definition);

} // namespace omnistasis::python
