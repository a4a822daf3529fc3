#pragma once

#include "runtimes/python/ground.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// QML modules: those that the application's documents import, and what these import in turn.
class QmlModules {
  public:
    explicit QmlModules(Ground& ground) : ground_(ground) {}

    void settle_qml(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);

  private:
    std::pair<std::string, std::string> qml_root(const UnitIds& ids);

    Ground& ground_;
    std::set<std::string> qml_modules_; ///< folders of QML modules that are carried
    std::size_t seen_qml_ = 0;          ///< units that were looked at
};

} // namespace omnistasis::python
