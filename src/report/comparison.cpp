#include "report/comparison.h"

#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/json.h"

#include <algorithm>
#include <map>
#include <set>

namespace omnistasis::report {

namespace {

using payload::PayloadContents;
using What = Difference::What;

/// The kinds in the order in which people ask for them.
std::size_t rank(const std::string& kind) {
    static const std::vector<std::string> order{"setting", "runtime", "package", "module", "extension",
                                                "library", "program", "data",    "file"};
    return static_cast<std::size_t>(std::ranges::find(order, kind) - order.begin());
}

std::uint64_t size_of(const PayloadContents& output) {
    std::uint64_t size = output.bytes().size();
    if (output.is_folder())
        for (const payload::StoredFile& file : output.files()) size += file.size;
    return size;
}

/// What the files hold that no part stands for.
bool is_made(const std::string& place) {
    std::string name = base_name(place);
    return name.starts_with('.') || any_names(&Conventions::module_stores, name) ||
           any_ends(&Conventions::compiled_endings, name);
}

class Comparer {
  public:
    Comparer(const PayloadContents& before, const PayloadContents& after) : before_(before), after_(after) {}

    Result<Comparison> run() {
        const payload::Description& old = before_.description();
        const payload::Description& now = after_.description();
        found_.same = before_.identity() == after_.identity();
        found_.name_before = old.name;
        found_.name_after = now.name;
        found_.version_before = old.version;
        found_.version_after = now.version;
        found_.size_before = size_of(before_);
        found_.size_after = size_of(after_);
        found_.tree_before = before_.raw_size();
        found_.tree_after = after_.raw_size();
        settings(old, now);
        if (auto done = parts(); !done) return pass_on(done);
        files();
        new_bytes();
        std::ranges::stable_sort(found_.differences, {},
                                 [](const Difference& one) { return std::tuple(rank(one.kind), one.name); });
        return std::move(found_);
    }

  private:
    void settings(const payload::Description& old, const payload::Description& now) {
        auto setting = [&](const std::string& name, const std::string& before, const std::string& after) {
            if (before != after)
                found_.differences.push_back({"setting", name, before, after, 0, 0, What::changed});
        };
        auto form = [](const PayloadContents& one) { return one.is_folder() ? "folder" : "file"; };
        auto states = [](const payload::Description& one) {
            std::string text;
            for (const payload::StatePath& state : one.state) text += (text.empty() ? "" : ", ") + state.path;
            return text.empty() ? "none" : text;
        };
        setting("form", form(before_), form(after_));
        setting("mode", old.window ? "window" : "console", now.window ? "window" : "console");
        setting("state", states(old), states(now));
        auto key = [](const PayloadContents& one) {
            return one.public_key().empty() ? "none" : "key " + hex(as_bytes(one.public_key())).substr(0, 16);
        };
        setting("signature", key(before_), key(after_));
    }

    /// Goes through two sorted maps; `same` compares, `take` gets what differs.
    template <typename Map, typename Same, typename Take>
    static void walk(const Map& old, const Map& now, Same same, Take take) {
        for (const auto& [name, one] : old) {
            auto other = now.find(name);
            if (other == now.end())
                take(name, &one, static_cast<const typename Map::mapped_type*>(nullptr));
            else if (!same(one, other->second))
                take(name, &one, &other->second);
        }
        for (const auto& [name, one] : now)
            if (!old.contains(name)) take(name, static_cast<const typename Map::mapped_type*>(nullptr), &one);
    }

    static What what(const void* old, const void* now) {
        return old == nullptr ? What::added : now == nullptr ? What::removed : What::changed;
    }

    Result<void> parts() {
        using Map = std::map<std::pair<std::string, std::string>, payload::Part>;
        auto read = [](const PayloadContents& output, Map& map) -> Result<void> {
            auto list = output.parts();
            if (!list) return pass_on(list);
            for (payload::Part& part : *list) {
                std::pair key(part.kind, part.name);
                map.emplace(std::move(key), std::move(part));
            }
            return {};
        };
        Map old, now;
        if (auto done = read(before_, old); !done) return done;
        if (auto done = read(after_, now); !done) return done;
        walk(
            old, now,
            [](const payload::Part& a, const payload::Part& b) {
                return a.version == b.version && a.hash == b.hash;
            },
            [&](const auto& key, const payload::Part* a, const payload::Part* b) {
                found_.differences.push_back({key.first, key.second, a ? a->version : "", b ? b->version : "",
                                              a ? a->size : 0, b ? b->size : 0, what(a, b)});
            });
        for (const auto* map : {&old, &now})
            for (const auto& [key, part] : *map) known_.insert({key.second, part.place});
        return {};
    }

    void files() {
        auto map_of = [](const PayloadContents& output) {
            std::map<std::string, payload::StoredFile> map;
            for (const payload::StoredFile& file : output.files()) map.emplace(file.place, file);
            return map;
        };
        walk(
            map_of(before_), map_of(after_),
            [](const payload::StoredFile& a, const payload::StoredFile& b) {
                return a.hash == b.hash && a.mode == b.mode;
            },
            [&](const std::string& place, const payload::StoredFile* a, const payload::StoredFile* b) {
                if (is_made(place) || stands_for(place)) return;
                found_.differences.push_back(
                    {"file", place, "", "", a ? a->size : 0, b ? b->size : 0, what(a, b)});
            });
    }

    /// Parts say where they are; a library's name is that of its file.
    bool stands_for(const std::string& place) const {
        return known_.contains(place) || known_.contains(base_name(place));
    }

    void new_bytes() {
        std::set<std::string> old;
        for (const payload::Segment& segment : before_.segments()) old.insert(segment.hash);
        for (const payload::Segment& segment : after_.segments())
            if (!old.contains(segment.hash)) found_.new_bytes += segment.size;
        if (!after_.is_folder()) return;
        std::set<std::string> contents;
        for (const payload::StoredFile& file : before_.files()) contents.insert(file.hash);
        for (const payload::StoredFile& file : after_.files())
            if (contents.insert(file.hash).second) found_.new_bytes += file.size;
    }

    const PayloadContents& before_;
    const PayloadContents& after_;
    std::set<std::string> known_; ///< names and places of parts
    Comparison found_;
};

} // namespace

Result<Comparison> compare(const PayloadContents& before, const PayloadContents& after) {
    return Comparer(before, after).run();
}

std::string comparison_json(const Comparison& comparison) {
    Json json{
        {"format", 1},
        {"same", comparison.same},
        {"before",
         {{"name", comparison.name_before},
          {"version", comparison.version_before},
          {"bytes", comparison.size_before},
          {"tree_bytes", comparison.tree_before}}},
        {"after",
         {{"name", comparison.name_after},
          {"version", comparison.version_after},
          {"bytes", comparison.size_after},
          {"tree_bytes", comparison.tree_after}}},
        {"new_bytes", comparison.new_bytes},
        {"differences", Json::array()},
    };
    for (const Difference& one : comparison.differences) {
        Json entry{{"kind", one.kind},
                   {"name", one.name},
                   {"what", one.what == What::added     ? "added"
                            : one.what == What::removed ? "removed"
                                                        : "changed"}};
        if (!one.before.empty() || !one.after.empty()) {
            entry["before"] = one.before;
            entry["after"] = one.after;
        }
        entry["bytes_before"] = one.size_before;
        entry["bytes_after"] = one.size_after;
        json["differences"].push_back(std::move(entry));
    }
    return json_lines(json);
}

} // namespace omnistasis::report
