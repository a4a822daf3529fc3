#include "runtimes/python/qml_imports.h"

#include <catch2/catch.hpp>

using namespace omnistasis::python;

TEST_CASE("a QML document's imports of modules") {
    CHECK(qml_imports(
              "pragma ComponentBehavior: Bound\nimport QtQuick\n  import QtQuick.Controls 2.15 as C;\r\n"
              "import \"parts\"\nimport \"tools.js\" as Tools\nItem { property string import_: 'x' }\n") ==
          std::vector<std::string>{"QtQuick", "QtQuick.Controls"});
    CHECK(qml_imports("").empty());
    CHECK(qml_imports("import").empty());
}

TEST_CASE("what the definition of a QML module asks for") {
    CHECK(qmldir_imports("module QtQuick.Controls\nplugin x\nimport QtQuick.Templates auto\noptional import "
                         "QtQuick.Controls.Fusion auto\ndefault import QtQuick.Controls.Basic auto\ndepends "
                         "QtQuick 2.0\n") == std::vector<std::string>{"QtQuick.Templates",
                                                                      "QtQuick.Controls.Fusion",
                                                                      "QtQuick.Controls.Basic", "QtQuick"});
}
