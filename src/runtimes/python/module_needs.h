#pragma once

#include "runtimes/python/companions.h"
#include "runtimes/python/extension_needs.h"
#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"
#include "runtimes/python/lore_needs.h"
#include "runtimes/python/metadata_needs.h"
#include "runtimes/python/own_needs.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What one module asks for: in its own statements and names, in strings where it is compiled, and by what
/// lore knows of it. Safe to use from many threads.
class ModuleNeeds {
  public:
    ModuleNeeds(Ground& ground, Gathered& gathered, Imports& imports, MetadataNeeds& metadata,
                Companions& companions, OwnNeeds& own)
        : ground_(ground), gathered_(gathered), imports_(imports), metadata_(metadata),
          companions_(companions), own_(own) {}

    /// Everything, before it is seen what of it may come.
    Expansion all_asked_by(const Unit& unit);
    /// What its source says; nothing where that can't be read.
    std::optional<Scanned> scanned_source(const Unit& unit);

  private:
    void note_shadowing(const Unit& unit, Expansion& out);
    void note_surroundings(const Unit& unit, const ScanResult& scan, Expansion& out);
    void want_system_paths(const Unit& unit, const ScanResult& result, Expansion& out);
    void want_codecs(const ScanResult& result, const std::string& file, bool own, bool standard,
                     Expansion& out);
    void want_opened_libraries(const Unit& unit, const ScanResult& scan, Expansion& out);
    void want_stubs(const Unit& unit, const std::string& module, Expansion& out);
    void scan_source_of_extension(const Unit& unit, Expansion& out);
    void scan_source(const Unit& unit, Expansion& out);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    MetadataNeeds& metadata_;
    Companions& companions_;
    OwnNeeds& own_;
    ExtensionNeeds extensions_{ground_, imports_};
    LoreNeeds lore_{ground_, gathered_, imports_};
};

} // namespace omnistasis::python
