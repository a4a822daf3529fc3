#include "trace/tracer.h"

#include "native/closure.h"
#include "native/foreign_needs.h"
#include "native/native_kind.h"
#include "trace/capabilities.h"
#include "trace/library_data.h"
#include "trace/reach.h"

#include <algorithm>
#include <deque>
#include <fmt/format.h>
#include <future>
#include <map>
#include <mutex>
#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for_each.h>
#include <oneapi/tbb/parallel_sort.h>
#include <optional>
#include <set>
#include <unordered_map>
#include <unordered_set>

namespace omnistasis::trace {

std::string identity(const Unit& unit) {
    return is_module(unit.kind)
               ? "module:" + unit.name
               : "file:" + unit.place + '\n' + unit.file + (unit.member ? '\n' + unit.member->name : "");
}

namespace {

/// Whether a unit is a file that a native loader can read: not one inside an archive.
bool is_native_file(const Unit& unit) { return is_native(unit.kind) && !unit.file.empty() && !unit.member; }

/// The graph while it grows. Units keep their address; ids are in the order of arrival until `finish`.
class GrowingGraph {
  public:
    /// True where the unit is new.
    std::pair<UnitId, bool> add(const Unit& unit) {
        std::lock_guard lock(mutex_);
        auto [entry, is_new] = ids_.try_emplace(identity(unit), static_cast<UnitId>(units_.size()));
        if (is_new) units_.push_back(unit);
        return {entry->second, is_new};
    }

    void add_edge(UnitId from, UnitId to, Reason reason) {
        std::lock_guard lock(mutex_);
        edges_.push_back({from, to, std::move(reason)});
    }
    void add_root(UnitId id) {
        std::lock_guard lock(mutex_);
        roots_.push_back(id);
    }
    void drop_unanswered(const std::set<std::string>& names) {
        std::erase_if(unanswered_, [&](const auto& wish) { return names.contains(wish.second.name); });
    }
    void add_unanswered(std::optional<UnitId> from, Unanswered wish) {
        std::lock_guard lock(mutex_);
        unanswered_.emplace_back(from, std::move(wish));
    }
    void add_missing_library(UnitId from, const std::string& name) {
        std::lock_guard lock(mutex_);
        missing_libraries_.emplace_back(from, name);
    }
    void add_loose_ends(std::vector<LooseEnd> ends) {
        std::lock_guard lock(mutex_);
        loose_ends_.insert(loose_ends_.end(), std::make_move_iterator(ends.begin()),
                           std::make_move_iterator(ends.end()));
    }
    const Unit& unit(UnitId id) {
        std::lock_guard lock(mutex_);
        return units_[id];
    }
    std::vector<Unit> units() const { return {units_.begin(), units_.end()}; }

    /// Takes out the groups that only optional wishes of packages lead to, and all that nothing else needs.
    void leave_out_unrequested(OffersGroups& offers);

    void add_left_out(std::vector<LeftOut> more) {
        std::ranges::move(more, std::back_inserter(left_out_));
        std::ranges::sort(left_out_);
    }

    void set_not_carried(std::vector<std::string> packages) { not_carried_ = std::move(packages); }

    void set_fixed_places(std::vector<std::pair<std::string, std::string>> places) {
        fixed_places_ = std::move(places);
    }

    Graph finish();

  private:
    std::mutex mutex_;
    std::deque<Unit> units_;
    std::unordered_map<std::string, UnitId> ids_;
    std::vector<Edge> edges_;
    std::vector<UnitId> roots_;
    std::vector<std::pair<std::optional<UnitId>, Unanswered>> unanswered_;
    std::vector<LooseEnd> loose_ends_;
    std::vector<std::pair<UnitId, std::string>> missing_libraries_; ///< who needs it, its name
    std::vector<LeftOut> left_out_;
    std::vector<std::string> not_carried_;
    std::vector<std::pair<std::string, std::string>> fixed_places_;
};

/// What is in front of the first dot of a name.
std::string_view first_part(std::string_view name) { return name.substr(0, name.find('.')); }

void GrowingGraph::leave_out_unrequested(OffersGroups& offers) {
    std::vector<std::string> groups;
    bool any = false;
    for (const Unit& unit : units_) any |= !groups.emplace_back(offers.on_request(unit)).empty();
    std::vector<std::string> absent; // the group of each wish that nothing answered
    for (const auto& [from, wish] : unanswered_)
        any |= !absent.emplace_back(offers.on_request(Unit{UnitKind::code, wish.name, {}, {}})).empty();
    if (!any) return;
    Reach reach(units_.size(), roots_, edges_);
    // What the application itself asks for anywhere is wanted.
    std::vector<bool> wanted;
    std::unordered_set<std::string> requested;
    auto find_wanted = [&] {
        wanted = reach.over([&](const Edge& edge) {
            return !edge.reason.optional || units_[edge.from].own || units_[edge.to].own;
        });
        for (UnitId id = 0; id < units_.size(); ++id)
            if (wanted[id]) requested.insert(groups[id]);
    };
    find_wanted();
    std::map<UnitId, std::set<std::string>> asked; // by packages, as if they could do without
    auto note_asked = [&](UnitId from, const Reason& reason, const std::string& group) {
        bool imports = reason.verb == "imports" && reason.file == units_[from].file;
        bool may_need =
            imports && wanted[from] && reason.optional && !units_[from].of_runtime && groups[from].empty();
        if (may_need && !group.empty() && !requested.contains(group)) asked[from].insert(group);
    };
    for (const Edge& edge : edges_) note_asked(edge.from, edge.reason, groups[edge.to]);
    for (std::size_t i = 0; i < unanswered_.size(); ++i)
        if (unanswered_[i].first) note_asked(*unanswered_[i].first, unanswered_[i].second.reason, absent[i]);
    std::vector<OffersGroups::Asks> asks;
    for (auto& [from, names] : asked) asks.push_back({&units_[from], std::move(names)});
    for (const OffersGroups::Needed& one : offers.needed_groups(asks)) {
        // What it has beside it for that one is not optional either.
        std::string_view part = first_part(one.unit->name);
        for (Edge& edge : edges_)
            if (groups[edge.to] == one.group && first_part(units_[edge.from].name) == part)
                edge.reason.optional = false;
    }
    find_wanted();
    // What a wanted package requires is wanted, and what that requires in turn.
    for (std::size_t before = 0; before != requested.size();) {
        before = requested.size();
        for (UnitId id = 0; id < units_.size(); ++id)
            if (wanted[id] || (!groups[id].empty() && requested.contains(groups[id])))
                for (std::string& group : offers.requested_with(units_[id]))
                    requested.insert(std::move(group));
    }
    auto unrequested = [&](UnitId id) { return !groups[id].empty() && !requested.contains(groups[id]); };
    // What can't run without them brings nothing in.
    std::vector<bool> unable(units_.size());
    for (bool changed = true; changed;) {
        changed = false;
        for (const Edge& edge : edges_)
            if (!edge.reason.optional && !unable[edge.from] && !units_[edge.from].own &&
                (unrequested(edge.to) || unable[edge.to]))
                changed = unable[edge.from] = true;
    }
    std::vector<bool> kept =
        reach.over([&](const Edge& edge) { return !unrequested(edge.to) && !unable[edge.from]; });

    std::map<std::string, LeftOut> left_out;
    for (const Edge& edge : edges_)
        if (kept[edge.from] && !kept[edge.to] && unrequested(edge.to)) {
            LeftOut one{groups[edge.to], edge.reason.file, edge.reason.line};
            auto [entry, is_first] = left_out.try_emplace(one.name, one);
            if (!is_first && one < entry->second) entry->second = one;
        }
    for (auto& [name, one] : left_out) left_out_.push_back(std::move(one));

    std::vector<UnitId> renamed(units_.size());
    std::deque<Unit> units;
    ids_.clear();
    for (UnitId id = 0; id < kept.size(); ++id) {
        if (!kept[id]) continue;
        renamed[id] = static_cast<UnitId>(units.size());
        ids_.emplace(identity(units_[id]), renamed[id]);
        units.push_back(std::move(units_[id]));
    }
    units_ = std::move(units);
    std::erase_if(edges_, [&](const Edge& edge) { return !kept[edge.from] || !kept[edge.to]; });
    for (Edge& edge : edges_) {
        edge.from = renamed[edge.from];
        edge.to = renamed[edge.to];
    }
    for (UnitId& root : roots_) root = renamed[root];
    std::erase_if(unanswered_, [&](const auto& wish) { return wish.first && !kept[*wish.first]; });
    for (auto& [from, wish] : unanswered_)
        if (from) from = renamed[*from];
}

Graph GrowingGraph::finish() {
    Graph graph;
    graph.left_out = std::move(left_out_);
    graph.not_carried = std::move(not_carried_);
    graph.fixed_places = std::move(fixed_places_);
    // An absent module matters only where its wish is reached over edges that are not optional.
    std::vector<bool> needed =
        Reach(units_.size(), roots_, edges_).over([](const Edge& edge) { return !edge.reason.optional; });
    for (auto& [from, wish] : unanswered_) {
        bool matters = !wish.reason.optional && (!from || needed[*from]);
        if (!matters) {
            graph.absent.push_back(
                {wish.name, wish.reason.file, wish.reason.line, from && units_[*from].of_runtime});
            continue;
        }
        if (!wish.unfit.empty()) {
            graph.loose_ends.push_back(
                {.kind = "unfit-module",
                 .what = fmt::format("{} is there only for another runtime", wish.name),
                 .file = wish.reason.file,
                 .line = wish.reason.line,
                 .effect = "the application stops when it gets there",
                 .advice = wish.advice.empty()
                               ? fmt::format("{} is what was found: install it for this runtime", wish.unfit)
                               : wish.advice});
            continue;
        }
        std::string near;
        for (const std::string& name : wish.near) near += fmt::format("{}{}", near.empty() ? "" : ", ", name);
        graph.loose_ends.push_back(
            {.kind = "unresolved-import",
             .what = fmt::format("{} is not found", wish.name),
             .file = wish.reason.file,
             .line = wish.reason.line,
             .effect = "the application stops when it gets there",
             .advice =
                 !wish.advice.empty() ? wish.advice
                 : near.empty()
                     ? std::string("install it for the project's runtime, or leave it out with --exclude if "
                                   "the application can do without it")
                     : fmt::format("did you mean {}?", near)});
    }
    // Many packages bring plug-ins for what is not there; they do not open them then, and do without.
    for (const auto& [from, name] : missing_libraries_) {
        const Unit& unit = units_[from];
        graph.loose_ends.push_back({.kind = "missing-library",
                                    .what = fmt::format("{} is not found", name),
                                    .file = unit.file,
                                    .line = 0,
                                    .effect = unit.own ? "the application stops when it loads this file"
                                                       : "what needs this file does not work",
                                    .advice = "install the package that holds the library",
                                    .minor = !unit.own && !needed[from]});
    }
    graph.loose_ends.insert(graph.loose_ends.end(), loose_ends_.begin(), loose_ends_.end());

    std::vector<std::string> identities;
    identities.reserve(units_.size());
    for (const Unit& unit : units_) identities.push_back(identity(unit));
    std::vector<UnitId> order(units_.size());
    for (UnitId id = 0; id < order.size(); ++id) order[id] = id;
    oneapi::tbb::parallel_sort(order.begin(), order.end(), [&](UnitId left, UnitId right) {
        return std::tie(identities[left], left) < std::tie(identities[right], right);
    });
    std::vector<UnitId> renamed(order.size());
    graph.units.reserve(units_.size());
    graph.edges.reserve(edges_.size());
    for (UnitId position = 0; position < order.size(); ++position) {
        renamed[order[position]] = position;
        graph.units.push_back(std::move(units_[order[position]]));
    }
    for (Edge& edge : edges_)
        graph.edges.push_back({renamed[edge.from], renamed[edge.to], std::move(edge.reason)});
    for (UnitId root : roots_) graph.roots.push_back(renamed[root]);

    auto edge_key = [](const Edge& e) {
        return std::tie(e.from, e.to, e.reason.file, e.reason.line, e.reason.verb, e.reason.optional);
    };
    oneapi::tbb::parallel_sort(
        graph.edges.begin(), graph.edges.end(),
        [&](const Edge& left, const Edge& right) { return edge_key(left) < edge_key(right); });
    auto same = [&](const Edge& left, const Edge& right) { return edge_key(left) == edge_key(right); };
    graph.edges.erase(std::unique(graph.edges.begin(), graph.edges.end(), same), graph.edges.end());
    auto sort_unique = [](auto& list) {
        std::ranges::sort(list);
        list.erase(std::unique(list.begin(), list.end()), list.end());
    };
    sort_unique(graph.roots);
    sort_unique(graph.loose_ends);
    sort_unique(graph.absent);
    return graph;
}

class Tracer {
  public:
    Tracer(Runtime& runtime, const native::HostLibraries& host, Store& store, Observer& observer)
        : runtime_(runtime), host_(host), store_(store), observer_(observer) {}

    Result<Graph> run(const std::vector<AssetFile>& assets) {
        observer_.step("tracing", 0);
        auto roots = runtime_.roots();
        if (!roots) return pass_on(roots);
        std::vector<UnitId> open;
        take(std::nullopt, *roots, open);
        // The runtime's program is large, and its text is wanted in any case.
        std::future<void> ahead;
        if (host_.target() == host_target()) {
            closure_.emplace(runtime_.program(), host_, store_,
                             [packages = as<KnowsPackages>(runtime_)](const std::string& file) {
                                 return packages != nullptr ? packages->library_place(file) : std::nullopt;
                             });
            ahead = std::async(std::launch::async, [this] { closure_->read_ahead({runtime_.program()}); });
        }
        for (const AssetFile& asset : assets) {
            auto head = MappedFile::open(asset.file);
            if (!head) return pass_on(head);
            std::string place = (fs::path(asset.in_tree ? "" : runtime_.application_place()) / asset.place)
                                    .lexically_normal()
                                    .string();
            UnitKind kind = native::kind_of(asset.file.string()) ? UnitKind::native : UnitKind::data;
            graph_.add_root(graph_.add({kind, place, asset.file.string(), place, true}).first);
        }
        auto* finalizes = as<FinalizesGraph>(runtime_);
        while (!open.empty()) {
            expand_all(open);
            open.clear();
            if (finalizes == nullptr) break;
            for (auto& [from, need] : finalizes->finalize(graph_.units())) {
                auto [id, is_new] = graph_.add(need.unit);
                graph_.add_edge(from, id, need.reason);
                if (is_new) open.push_back(id);
            }
        }
        if (finalizes != nullptr) {
            graph_.add_loose_ends(finalizes->final_loose_ends());
            graph_.drop_unanswered(finalizes->made_by_others());
        }
        if (auto* offers = as<OffersGroups>(runtime_)) {
            graph_.leave_out_unrequested(*offers);
            graph_.add_left_out(offers->left_out());
        }
        if (auto* packages = as<KnowsPackages>(runtime_)) graph_.set_not_carried(packages->not_carried());
        if (ahead.valid()) ahead.get();
        if (auto done = follow_native_libraries(); !done) return pass_on(done);
        return graph_.finish();
    }

  private:
    void take(std::optional<UnitId> from, Expansion& expansion, std::vector<UnitId>& fresh) {
        for (Need& need : expansion.needs) {
            // Whoever asks for it by name, the system has it.
            if (need.unit.kind == UnitKind::native &&
                host_.find(fs::path(need.unit.place).filename().string()))
                continue;
            auto [id, is_new] = graph_.add(need.unit);
            if (from)
                graph_.add_edge(*from, id, std::move(need.reason));
            else
                graph_.add_root(id);
            if (is_new) fresh.push_back(id);
        }
        for (Unanswered& wish : expansion.unanswered) graph_.add_unanswered(from, std::move(wish));
        graph_.add_loose_ends(std::move(expansion.loose_ends));
    }

    void expand_all(const std::vector<UnitId>& open) {
        oneapi::tbb::parallel_for_each(open.begin(), open.end(),
                                       [this](UnitId id, oneapi::tbb::feeder<UnitId>& feeder) {
                                           Expansion expansion = runtime_.expand(graph_.unit(id));
                                           std::vector<UnitId> fresh;
                                           take(id, expansion, fresh);
                                           observer_.advance(1);
                                           for (UnitId next : fresh) feeder.add(next);
                                       });
    }

    Result<void> follow_native_libraries() {
        std::string target = host_.target();
        if (target != host_target()) return follow_foreign_libraries(target);
        native::Closure& closure = *closure_;
        std::vector<Unit> units = graph_.units();
        std::vector<std::string> files, places;
        for (const Unit& unit : units) {
            // A program for another system may be data to this one.
            if (!is_native_file(unit) || !native::kind_of(unit.file).fits(target)) continue;
            files.push_back(unit.file);
            places.push_back(unit.place);
        }
        closure.read_ahead(files);
        for (std::size_t i = 0; i < files.size(); ++i)
            if (auto found = closure.add(files[i], places[i]); !found) return pass_on(found);
        auto looked_at = follow_compiled_paths(units, closure);
        if (!looked_at) return pass_on(looked_at);
        units = graph_.units();
        // A file may lie at several places, and needs the way to its libraries at each of them.
        std::unordered_map<std::string, std::vector<UnitId>> by_file;
        for (UnitId id = 0; id < units.size(); ++id)
            if (is_native_file(units[id])) by_file[real_path(units[id].file)].push_back(id);
        for (const native::ShippedLibrary& library : closure.libraries()) {
            // A second name of a library is a second file.
            if (!library.other_name && by_file.contains(library.file)) continue;
            Unit unit{UnitKind::native, library.name, library.file, library.place, false};
            by_file[library.file].push_back(graph_.add(unit).first);
        }
        for (const LibraryData::Found& one : *looked_at)
            if (auto by = by_file.find(one.by); by != by_file.end())
                for (UnitId asking : by->second)
                    graph_.add_edge(asking, graph_.add(one.unit).first,
                                    {"looks, at a path that is compiled into it, for", one.by, 0, true});
        for (const native::LibraryNeed& need : closure.needs()) {
            auto from = by_file.find(need.from_file);
            if (from == by_file.end()) continue;
            if (need.found_file.empty()) {
                graph_.add_missing_library(from->second.front(), need.name);
            } else if (auto to = by_file.find(need.found_file); to != by_file.end()) {
                for (UnitId asking : from->second)
                    for (UnitId asked : to->second)
                        graph_.add_edge(asking, asked,
                                        {need.opened ? "may open the library" : "needs the library",
                                         need.from_file, 0, need.opened});
            }
        }
        auto is_own = [&](const std::string& file) {
            auto ids = by_file.find(real_path(file));
            return ids != by_file.end() &&
                   std::ranges::any_of(ids->second, [&](UnitId id) { return units[id].own; });
        };
        for (const native::OtherLoader& other : closure.other_loaders())
            graph_.add_loose_ends(
                {{.kind = "other-c-library",
                  .what = fmt::format("the program is for another C library: {} starts it", other.loader),
                  .file = other.file,
                  .effect = "its libraries are looked for as this system's loader would, and may be missing",
                  .advice =
                      "take the program as this system builds it, or see with `omnistasis prove` that it "
                      "runs",
                  .minor = !is_own(other.file)}});
        for (const native::UnfitLibrary& library : closure.unfit())
            graph_.add_loose_ends(
                {{.kind = "library-version",
                  .what = fmt::format("{} is found without the version {} that is asked for",
                                      fs::path(library.file).filename().string(),
                                      fmt::join(library.versions, ", ")),
                  .file = library.from_file,
                  .effect = "the application may stop when it loads this file",
                  .advice =
                      "install the library that the file was made with, or another build of the file: " +
                      library.file,
                  // Packages bring builds for several systems, and load the one that fits.
                  .minor = !is_own(library.from_file)}});
        return {};
    }

    /// What native files look for at compiled-in paths, and what that needs in turn.
    Result<std::vector<LibraryData::Found>> follow_compiled_paths(const std::vector<Unit>& units,
                                                                  native::Closure& closure) {
        std::map<std::string, std::string> places;
        std::vector<NativeFile> natives;
        std::set<std::string> seen;
        auto see = [&](const std::string& file, const std::string& name, bool is_direct) {
            if (seen.insert(file).second) natives.push_back({file, name, is_direct});
        };
        for (const Unit& unit : units)
            if (is_native_file(unit) && !unit.of_runtime)
                see(real_path(unit.file), fs::path(unit.place).filename().string(), true);
        std::vector<LibraryData::Found> all;
        std::size_t looked_at = 0;
        while (true) {
            for (const native::ShippedLibrary& library : closure.libraries())
                see(library.file, library.name, false);
            if (natives.size() == looked_at) break;
            LibraryData data = library_data_of(natives, looked_at, places, host_, store_);
            looked_at = natives.size();
            places.insert(data.fixed_places.begin(), data.fixed_places.end());
            graph_.add_loose_ends(std::move(data.loose_ends));
            for (LibraryData::Found& one : data.found) {
                graph_.add(one.unit);
                if (one.unit.kind == UnitKind::native) {
                    if (auto done = closure.add(one.unit.file, one.unit.place); !done) return pass_on(done);
                    see(one.unit.file, fs::path(one.unit.place).filename().string(), false);
                }
                all.push_back(std::move(one));
            }
        }
        graph_.set_fixed_places({places.begin(), places.end()});
        return all;
    }

    /// What belongs to the application and is compiled for other targets only, with nothing beside it for
    /// this one: `quay.so` beside `quay.dll` or `libquay.dylib` is no loss.
    void tell_unfit_own_files(const std::vector<Unit>& units, const std::string& target) {
        std::map<std::string, std::vector<const Unit*>> unfit;
        std::set<std::string> fitting;
        for (const Unit& unit : units) {
            bool is_file = is_native(unit.kind) || unit.kind == UnitKind::data;
            if (!unit.own || !is_file || unit.file.empty() || unit.member) continue;
            std::string name = fs::path(unit.place).filename().string();
            if (name.starts_with("lib")) name.erase(0, 3);
            name.erase(std::min(name.find_first_of(".-"), name.size()));
            std::string stem = fs::path(unit.place).parent_path().string() + "/" + name;
            native::NativeKind kind = native::kind_of(unit.file);
            if (!kind || kind.targets.empty()) continue;
            if (kind.fits(target))
                fitting.insert(stem);
            else
                unfit[stem].push_back(&unit);
        }
        for (const auto& [stem, files] : unfit) {
            if (fitting.contains(stem)) continue;
            const Unit& unit = *files.front();
            graph_.add_loose_ends(
                {{.kind = "unfit-library",
                  .what = fmt::format("{} is for {}, and nothing beside it is for {}",
                                      fs::path(unit.file).filename().string(),
                                      fmt::join(native::kind_of(unit.file).targets, ", "), target),
                  .file = unit.file,
                  .effect = "the application stops when it loads this file there",
                  .advice =
                      fmt::format("build it for {} and put it beside this one, or leave the file out with "
                                  "--exclude if it is not needed there",
                                  target)}});
        }
    }

    /// Of another system than this machine's: libraries go beside what needs them, or into lib/.
    Result<void> follow_foreign_libraries(const std::string& target) {
        bool is_linux = system_of(target) == System::linux;
        std::vector<Unit> units = graph_.units();
        tell_unfit_own_files(units, target);
        for (std::size_t i = 0; i < units.size(); ++i) {
            Unit from = units[i];
            if (!is_native_file(from) || !native::kind_of(from.file).fits(target)) continue;
            auto needs = native::foreign_needs(from.file, host_);
            if (!needs) return pass_on(needs);
            UnitId id = graph_.add(from).first;
            auto* brings = as<BringsLibraries>(runtime_);
            for (native::ForeignNeed& need : *needs) {
                if (brings != nullptr && !need.is_exact)
                    need.found_file = brings->library_for(need.name, from.file);
                if (need.found_file.empty() && need.is_weak) continue;
                if (need.found_file.empty() && brings != nullptr) {
                    graph_.add_missing_library(id, need.name);
                    continue;
                }
                if (need.found_file.empty()) {
                    graph_.add_loose_ends(
                        {{"missing-library", fmt::format("{} is not found", need.name), from.file, 0,
                          "what needs this file may not work",
                          fmt::format(
                              "carry it with --asset beside the file, if systems of {} do not have it",
                              target)}});
                    continue;
                }
                std::string real = real_path(need.found_file);
                std::string name = fs::path(need.name).filename().string();
                std::string folder = is_linux ? "lib" : fs::path(from.place).parent_path().string();
                std::string place = brings != nullptr ? brings->place_of_library(need.found_file)
                                                      : (fs::path(folder) / name).string();
                Unit unit{UnitKind::native, name, real, place, from.own};
                auto [to, is_new] = graph_.add(unit);
                graph_.add_edge(id, to, {"needs the library", from.file, 0, false});
                if (is_new) units.push_back(unit);
            }
        }
        return {};
    }

    Runtime& runtime_;
    const native::HostLibraries& host_;
    Store& store_;
    Observer& observer_;
    std::optional<native::Closure> closure_; ///< of a target that is this machine's
    GrowingGraph graph_;
};

} // namespace

Result<Graph> trace(Runtime& runtime, const std::vector<AssetFile>& assets, const native::HostLibraries& host,
                    Store& store, unsigned jobs, Observer& observer) {
    oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, jobs);
    return Tracer(runtime, host, store, observer).run(assets);
}

} // namespace omnistasis::trace
