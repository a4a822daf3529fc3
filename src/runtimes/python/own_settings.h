#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/string_needs.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// Modules that the application's own settings name.
class OwnSettings {
  public:
    OwnSettings(Ground& ground, Gathered& gathered, StringNeeds& strings, Companions& companions)
        : ground_(ground), gathered_(gathered), strings_(strings), companions_(companions) {}

    /// Own settings name own modules and classes in them. Those of packages count where something that is
    /// reached imports by names: "logging.handlers.RotatingFileHandler" for the configuration of logging.
    void settle_settings(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs);

  private:
    Ground& ground_;
    Gathered& gathered_;
    StringNeeds& strings_;
    Companions& companions_;
    std::set<std::string> settings_read_; ///< own files
};

} // namespace omnistasis::python
