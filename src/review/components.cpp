#include "review/components.h"

#include "support/files.h"
#include "support/system_packages.h"
#include "trace/capabilities.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>

namespace omnistasis::review {

namespace {

constexpr std::size_t largest_licence_file = 1u << 20;

/// Bytes of any encoding as UTF-8: what is none counts as Latin-1.
std::string as_utf8(std::string_view bytes) {
    if (bytes.starts_with("\xEF\xBB\xBF")) bytes.remove_prefix(3);
    bool wide = bytes.size() > 1 && (bytes.starts_with("\xFF\xFE") || bytes.starts_with("\xFE\xFF"));
    std::string out;
    auto put = [&](std::uint32_t c) {
        if (c < 0x80) {
            out += static_cast<char>(c);
        } else if (c < 0x800) {
            out += static_cast<char>(0xC0 | c >> 6);
            out += static_cast<char>(0x80 | (c & 0x3F));
        } else {
            out += static_cast<char>(0xE0 | c >> 12);
            out += static_cast<char>(0x80 | (c >> 6 & 0x3F));
            out += static_cast<char>(0x80 | (c & 0x3F));
        }
    };
    if (wide) {
        bool big = bytes[0] == '\xFE';
        for (std::size_t i = 2; i + 1 < bytes.size(); i += 2) {
            auto first = static_cast<unsigned char>(bytes[i]),
                 second = static_cast<unsigned char>(bytes[i + 1]);
            std::uint32_t c = big ? first << 8 | second : second << 8 | first;
            put(c >= 0xD800 && c < 0xE000 ? '?' : c);
        }
        return out;
    }
    for (std::size_t i = 0; i < bytes.size();) {
        auto c = static_cast<unsigned char>(bytes[i]);
        std::size_t length = c < 0x80 ? 1 : c >> 5 == 6 ? 2 : c >> 4 == 14 ? 3 : c >> 3 == 30 ? 4 : 0;
        bool right = length > 0 && i + length <= bytes.size();
        for (std::size_t k = 1; right && k < length; ++k)
            right = (static_cast<unsigned char>(bytes[i + k]) & 0xC0) == 0x80;
        if (right) {
            out += bytes.substr(i, length);
            i += length;
        } else {
            put(c);
            ++i;
        }
    }
    return out;
}

std::string licence_text(const std::string& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return {};
    return as_utf8(mapped->text().substr(0, largest_licence_file));
}

/// Whatever a package says of its own licence, put together. The texts know the licence best, the metadata
/// whether later versions count too.
void settle_licence(Component& component, const trace::Package& package, const LicenceList& licences) {
    if (!package.licence_expression.empty() && licences.is_expression(package.licence_expression)) {
        component.licence = package.licence_expression;
        component.said_by = "its metadata";
        return;
    }
    std::set<std::string> named;
    for (const std::string& said : package.licence_names) {
        std::string id = licences.by_name(said);
        if (id.empty() && said.size() > 200) {
            for (const std::string& one : licences.by_text(said)) named.insert(one);
        } else if (!id.empty()) {
            named.insert(id);
        } else if (licences.is_expression(said)) {
            component.licence = said;
            component.said_by = "its metadata";
        }
    }
    if (!component.licence.empty()) return;
    std::vector<std::string> written;
    for (const std::string& file : package.licence_files)
        for (const std::string& id : licences.by_text(licence_text(file)))
            if (std::ranges::find(written, id) == written.end()) written.push_back(id);
    if (named.size() == 1 &&
        (written.empty() || std::ranges::find(written, *named.begin()) != written.end() ||
         named.begin()->find("GPL") != std::string::npos)) {
        component.licence = *named.begin();
        component.said_by = "its metadata";
    } else if (!written.empty()) {
        // The first is that of the package; others are of what it holds.
        component.licence = written.front();
        component.said_by = "its licence file";
    } else if (!named.empty()) {
        for (const std::string& id : named)
            component.licence += (component.licence.empty() ? "" : " OR ") + id;
        component.said_by = "its metadata";
    }
}

/// A part of a package URL: what is no letter, digit or mark is escaped.
std::string url_part(std::string_view text) {
    std::string out;
    for (unsigned char c : text) {
        if (std::isalnum(c) != 0 ||
            std::string_view(".-_~/").find(static_cast<char>(c)) != std::string_view::npos)
            out += static_cast<char>(c);
        else
            out += fmt::format("%{:02X}", c);
    }
    return out;
}

class Finder {
  public:
    Finder(const trace::Graph& graph, trace::Runtime& runtime, const LicenceList& licences, Store& store)
        : graph_(graph), runtime_(runtime), packages_(trace::as<trace::KnowsPackages>(runtime)),
          licences_(licences), store_(store) {}

    Components find() {
        result_.of_unit.assign(graph_.units.size(), Components::own);
        // Our own few files count as the runtime's.
        std::vector<bool> open(graph_.units.size());
        for (trace::UnitId id = 0; id < graph_.units.size(); ++id)
            open[id] = !graph_.units[id].own && !graph_.units[id].file.empty();
        if (packages_ != nullptr)
            for (const trace::Package& package : packages_->packages(graph_.units))
                add_package(package, open);
        add_runtime(open);
        add_system_packages(open);
        add_rest(open);
        sort();
        return std::move(result_);
    }

  private:
    std::size_t add(Component component) {
        result_.all.push_back(std::move(component));
        return result_.all.size() - 1;
    }

    std::vector<std::string> files_of(const std::vector<trace::UnitId>& units) const {
        std::vector<std::string> files;
        for (trace::UnitId id : units) files.push_back(graph_.units[id].file);
        return files;
    }

    void add_package(const trace::Package& package, std::vector<bool>& open) {
        Component component{Component::Kind::package, package.name,         package.version, {}, {}, {},
                            package.homepage,         package.licence_files};
        if (!package.type.empty())
            component.url = fmt::format("pkg:{}/{}{}", package.type, url_part(package.name),
                                        package.version.empty() ? "" : "@" + url_part(package.version));
        settle_licence(component, package, licences_);
        // Its metadata is a file of the system's, where the system has installed it.
        packages_with_metadata_.emplace_back(package.metadata_file, result_.all.size());
        std::size_t index = add(std::move(component));
        for (trace::UnitId id : package.units)
            if (open[id]) {
                result_.of_unit[id] = index;
                open[id] = false;
            }
    }

    void add_runtime(std::vector<bool>& open) {
        std::string title = runtime_.title();
        std::size_t space = title.rfind(' ');
        Component component{Component::Kind::runtime, title.substr(0, space),
                            space == std::string::npos ? "" : title.substr(space + 1)};
        trace::Package package;
        package.name = component.name;
        if (packages_ != nullptr) package = packages_->own_package();
        component.licence_files = package.licence_files;
        component.homepage = package.homepage;
        component.url = "pkg:generic/" + url_part(package.name) + "@" + url_part(component.version);
        settle_licence(component, package, licences_);
        packages_with_metadata_.emplace_back(package.metadata_file, result_.all.size());
        std::size_t index = runtime_index_ = add(std::move(component));
        for (trace::UnitId id = 0; id < graph_.units.size(); ++id) {
            const trace::Unit& unit = graph_.units[id];
            if (!open[id] || !(unit.of_runtime || unit.file == runtime_.program().string())) continue;
            result_.of_unit[id] = index;
            open[id] = false;
        }
    }

    void add_system_packages(std::vector<bool>& open) {
        std::vector<std::string> files;
        for (trace::UnitId id = 0; id < graph_.units.size(); ++id)
            if (open[id]) files.push_back(graph_.units[id].file);
        for (const auto& [file, index] : packages_with_metadata_)
            if (!file.empty()) files.push_back(file);
        auto owners = system_packages_of(files, store_);
        // What people who reviewed the package for the system wrote is the most exact.
        for (const auto& [file, index] : packages_with_metadata_) {
            auto owner = owners.find(file);
            if (owner == owners.end()) continue;
            Component& component = result_.all[index];
            take_copyright(component, owner->second);
        }
        std::map<std::string, std::size_t> added;
        for (trace::UnitId id = 0; id < graph_.units.size(); ++id) {
            if (!open[id]) continue;
            auto owner = owners.find(graph_.units[id].file);
            if (owner == owners.end()) continue;
            const SystemPackage& package = owner->second;
            auto [entry, is_new] = added.try_emplace(package.name, result_.all.size());
            if (is_new) {
                Component component{Component::Kind::system_package, package.name, package.version};
                component.homepage = package.homepage;
                component.url =
                    fmt::format("pkg:deb/debian/{}@{}{}", url_part(package.name), url_part(package.version),
                                package.architecture.empty() ? "" : "?arch=" + package.architecture);
                take_copyright(component, package);
                add(std::move(component));
            }
            result_.of_unit[id] = entry->second;
            open[id] = false;
        }
    }

    void take_copyright(Component& component, const SystemPackage& package) {
        if (package.copyright_file.empty()) return;
        std::string text = licence_text(package.copyright_file);
        std::string licence = licences_.of_debian(text);
        bool is_known = licences_.knows(licence);
        // One that is made for people names the licences of all its files in one text.
        bool readable = text.substr(0, 2000).find("copyright-format/1") != std::string::npos;
        if ((is_known && readable) || component.licence.empty()) {
            component.licence = licence;
            component.said_by = "Debian's copyright file";
        }
        component.licence_files.push_back(package.copyright_file);
    }

    /// What nobody claims: a native file beside a runtime that is in a folder of its own is the runtime's;
    /// else by the part that it counts as.
    void add_rest(std::vector<bool>& open) {
        std::map<std::string, std::size_t> added;
        std::string prefix = fs::path(real_path(runtime_.program())).parent_path().parent_path().string();
        bool has_own_folder = prefix.size() > 1 && prefix != "/usr" && prefix != "/usr/local";
        for (trace::UnitId id = 0; id < graph_.units.size(); ++id) {
            const trace::Unit& unit = graph_.units[id];
            if (!open[id]) continue;
            if (has_own_folder && trace::is_native(unit.kind) && !relative_to(unit.file, prefix).empty()) {
                result_.of_unit[id] = runtime_index_;
                continue;
            }
            std::string name = !unit.part.empty()            ? unit.part
                               : trace::is_module(unit.kind) ? unit.name.substr(0, unit.name.find('.'))
                                                             : fs::path(unit.file).filename().string();
            auto [entry, is_new] = added.try_emplace(name, result_.all.size());
            if (is_new) add({Component::Kind::unknown, name});
            result_.of_unit[id] = entry->second;
        }
    }

    void sort() {
        std::vector<bool> used(result_.all.size());
        for (std::size_t index : result_.of_unit)
            if (index != Components::own) used[index] = true;
        std::vector<std::size_t> order;
        for (std::size_t i = 0; i < result_.all.size(); ++i)
            if (used[i]) order.push_back(i);
        std::ranges::stable_sort(order, [&](std::size_t one, std::size_t other) {
            const Component& left = result_.all[one];
            const Component& right = result_.all[other];
            return std::tie(left.kind, left.name) < std::tie(right.kind, right.name);
        });
        std::vector<std::size_t> renamed(result_.all.size(), Components::own);
        std::vector<Component> sorted;
        for (std::size_t position = 0; position < order.size(); ++position) {
            renamed[order[position]] = position;
            sorted.push_back(std::move(result_.all[order[position]]));
        }
        result_.all = std::move(sorted);
        for (std::size_t& index : result_.of_unit)
            if (index != Components::own) index = renamed[index];
    }

    const trace::Graph& graph_;
    trace::Runtime& runtime_;
    trace::KnowsPackages* packages_; ///< null where the runtime knows none
    const LicenceList& licences_;
    Store& store_;
    Components result_;
    std::size_t runtime_index_ = 0;
    std::vector<std::pair<std::string, std::size_t>> packages_with_metadata_;
};

} // namespace

std::string word_of(Component::Kind kind) {
    return kind == Component::Kind::runtime          ? "runtime"
           : kind == Component::Kind::system_package ? "system"
                                                     : "package";
}

Components find_components(const trace::Graph& graph, trace::Runtime& runtime, const LicenceList& licences,
                           Store& store) {
    return Finder(graph, runtime, licences, store).find();
}

std::string notice_text(const Components& components, const std::string& application) {
    std::string text =
        fmt::format("{} is made with the work of others. This is what it brings along, and on which "
                    "terms.\nThe texts of the licences follow the list.\n\n",
                    application);
    std::map<std::string, std::vector<std::string>> users; // text, components
    for (const Component& component : components.all) {
        text += fmt::format("{}{}\n    licence: {}\n", component.name,
                            component.version.empty() ? "" : " " + component.version,
                            component.licence.empty() ? "not known" : component.licence);
        if (!component.homepage.empty()) text += fmt::format("    {}\n", component.homepage);
        for (const std::string& file : component.licence_files) {
            std::string licence = licence_text(file);
            while (!licence.empty() && licence.back() == '\n') licence.pop_back();
            if (licence.empty()) continue;
            std::vector<std::string>& names = users[licence];
            if (names.empty() || names.back() != component.name) names.push_back(component.name);
        }
    }
    std::vector<std::pair<std::vector<std::string>, std::string>> texts;
    for (auto& [licence, names] : users) texts.emplace_back(names, licence);
    std::ranges::sort(texts);
    for (const auto& [names, licence] : texts) {
        std::string list;
        for (const std::string& name : names) list += (list.empty() ? "" : ", ") + name;
        text += fmt::format("\n{}\n{}\n\n{}\n", std::string(78, '='), list, licence);
    }
    // Texts that copyright files refer to by their place on the system they were written for.
    std::set<std::string> common;
    for (std::size_t at = text.find("/usr/share/common-licenses/"); at != std::string::npos;
         at = text.find("/usr/share/common-licenses/", at + 1)) {
        std::size_t start = at + 27;
        std::size_t end =
            text.find_first_not_of("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-.", start);
        std::string name = text.substr(start, std::min(end, text.size()) - start);
        while (!name.empty() && name.back() == '.') name.pop_back();
        if (!name.empty()) common.insert(name);
    }
    std::set<std::string> seen;
    for (const std::string& name : common) {
        std::string licence = licence_text("/usr/share/common-licenses/" + name);
        if (!licence.empty() && seen.insert(licence).second)
            text += fmt::format("\n{}\n/usr/share/common-licenses/{}\n\n{}\n", std::string(78, '='), name,
                                licence);
    }
    return text;
}

} // namespace omnistasis::review
