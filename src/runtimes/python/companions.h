#pragma once

#include "runtimes/python/gathered.h"
#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"
#include "runtimes/python/metadata_needs.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What goes along with a distribution once one of its modules is needed, and what of it may bring in more.
class Companions {
  public:
    Companions(Ground& ground, Gathered& gathered, Imports& imports, MetadataNeeds& metadata)
        : ground_(ground), gathered_(gathered), imports_(imports), metadata_(metadata) {}

    /// The group of modules on request that a unit belongs to; else empty.
    std::string on_request(const Unit& unit) const {
        std::string top = trace::is_module(unit.kind) && !unit.own ? top_of(unit.name) : std::string();
        // A choice of toolkit is on request; the way to some library that is there is none.
        bool is_on_request =
            ground_.on_request.contains(top) && (top != "gi" || !gathered_.is_way_to_library);
        return is_on_request ? top : std::string();
    }

    /// Whether nothing reached a module yet. What an installed application has counts, whatever starts it.
    bool only_goes_along(const Scanned& scanned) const {
        return carried_.companions.contains(scanned.name) && !(scanned.own && ground_.project.is_installed);
    }
    /// Makes a module one, or makes it one no longer.
    void add(const std::string& module) { carried_.companions.insert(module); }
    void remove(const std::string& module) { carried_.companions.erase(module); }
    bool has(const std::string& module) const { return carried_.companions.contains(module); }
    /// Remembers that something asked for a companion.
    void ask_for(const std::string& module) { carried_.asked.insert(module); }
    bool is_any_asked() const { return !carried_.asked.empty(); }
    /// Whether a distribution was reached; notes that it is.
    bool reach(const std::string& distribution) { return carried_.reached.insert(distribution).second; }
    bool is_wanted(const std::string& group) const { return carried_.wanted_groups.contains(group); }
    bool is_companion(const Unit& unit) const;
    /// Takes from what a companion asks for what it may not bring in.
    void restrain(const Unit& companion, Expansion& out);
    /// Companions that something asks for are companions no longer; and a group of modules that comes on
    /// request may be wanted once something outside of it can't do without.
    void note_asked(const Unit& asking, const std::vector<Need>& needs);
    void settle_companions(const UnitIds& ids, UnitNeeds& needs);
    void settle_distributions(const std::vector<Unit>& units, UnitNeeds& needs);
    /// What a distribution brings besides the modules that are reached: its metadata and, where it is small,
    /// all of it. `files` are there already.
    void carry_distribution(const Distribution& distribution, const std::string& reached_by,
                            const std::unordered_set<std::string_view>& files, Expansion& out);
    /// Takes from what a package of the system asks for what it can do without and has nothing to do with.
    void hold_back_unrelated(const Unit& asking, Expansion& out);
    /// The groups that the distribution of a unit says it requires: it can't do without, whatever its code
    /// looks like.
    std::vector<std::string> requested_with(const Unit& unit);
    std::vector<std::string> not_carried();
    std::vector<trace::LeftOut> left_out();

  private:
    bool may_follow(const Unit& companion, const Distribution* of, const Unit& unit);
    bool is_passed_over(const Distribution* of, const Unit& unit);
    bool is_of_large(const Distribution* of, const Unit& unit);
    bool may_bring_in(const Unit& companion, const Distribution* of, const Need& need);
    std::map<std::string, trace::UnitId> newly_reached(const std::vector<Unit>& units);
    bool comes_with_others(const std::string& name) const;
    void carry_whole(const Distribution& distribution, const std::string& reached_by,
                     const std::unordered_set<std::string_view>& files, Expansion& out);
    void let_related_in(const UnitIds& ids, UnitNeeds& needs);

    Ground& ground_;
    Gathered& gathered_;
    Imports& imports_;
    MetadataNeeds& metadata_;
    std::map<std::string, std::vector<Need>> held_back_; ///< module, what it might import and may not
    std::map<std::string, std::vector<std::string>> requested_with_; ///< distribution, groups it requires
    /// Written by the settling pass alone, but for what is withheld and asked.
    struct {
        std::set<std::string> reached;                         ///< distributions of which a module is needed
        std::map<std::string, std::set<std::string>> required; ///< by each of those
        std::unordered_set<std::string> companions; ///< modules that only go along with their distribution
        std::map<std::string, std::vector<Need>> withheld;        ///< what companions may not bring in
        std::map<std::string, std::vector<trace::LooseEnd>> ends; ///< what would be told of them otherwise
        std::set<std::string>
            without_natives; ///< those of which the native modules go along only where they are reached
        std::set<std::string> asked;         ///< companions that something asked for since the last settling
        std::set<std::string> wanted_groups; ///< of those on request, as far as it is seen
        std::size_t seen_units = 0;
    } carried_;
};

} // namespace omnistasis::python
