#include "project/project_file.h"

#include "support/files.h"
#include "support/near_match.h"
#include "support/toml.h"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <functional>
#include <map>

namespace omnistasis {

namespace {

/// Reads one key's value; fails with a message that is completed with file, line and column.
using Take = std::function<Result<void>(const toml::node&)>;
using Keys = std::map<std::string, Take>;

class ProjectFileReader {
  public:
    ProjectFileReader(std::string file, Project& project) : file_(std::move(file)), project_(project) {}

    Result<void> read() {
        auto text = read_text(file_);
        if (!text) return pass_on(text);
        toml::parse_result parsed = toml::parse(*text, file_);
        if (!parsed)
            return wrong(parsed.error().source(), "the project file is not valid TOML",
                         std::string(parsed.error().description()),
                         "docs/project-file.md shows a complete example");
        Keys tables;
        tables["app"] = table({{"name", text_into(project_.name)},
                               {"title", text_into(project_.title)},
                               {"version", text_into(project_.version)},
                               {"publisher", text_into(project_.publisher)},
                               {"summary", text_into(project_.summary)},
                               {"entry", text_into(project_.entry)},
                               {"mode", word_into(project_.mode, parse_mode)},
                               {"working_folder", word_into(project_.working_folder, parse_working_folder)},
                               {"description", text_into(project_.description)},
                               {"identifier", text_into(project_.identifier)},
                               {"homepage", text_into(project_.homepage)},
                               {"licence", text_into(project_.licence)},
                               {"released", text_into(project_.released)},
                               {"icon", text_into(project_.icon)}});
        tables["windows"] =
            table({{"elevation", word_into(project_.windows.elevation, parse_elevation)},
                   {"copyright", text_into(project_.windows.copyright)},
                   {"comments", text_into(project_.windows.comments)},
                   {"language", [this](const toml::node& node) { return read_languages(node); }}});
        tables["linux"] = table({{"categories", texts_into(project_.linux_categories)},
                                 {"window_class", text_into(project_.window_class)}});
        tables["macos"] = table({{"category", text_into(project_.macos_category)}});
        tables["runtime"] = table({{"language", text_into(project_.language)},
                                   {"home", text_into(project_.runtime_home)},
                                   {"sources", truth_into(project_.sources)},
                                   {"drop_docstrings", truth_into(project_.drop_docstrings)}});
        tables["trace"] = table({{"include", texts_into(project_.include)},
                                 {"exclude", texts_into(project_.exclude)},
                                 {"without", [this](const toml::node& node) { return read_rules(node); }},
                                 {"lore", texts_into(project_.lore)}});
        tables["native"] = table({{"carry", texts_into(project_.carried_libraries)},
                                  {"host", texts_into(project_.host_libraries)},
                                  {"programs", texts_into(project_.programs)},
                                  {"carry_libc", truth_into(project_.carry_libc)},
                                  {"keep_debug_symbols", truth_into(project_.keep_debug_symbols)}});
        tables["output"] = table({{"sign", text_into(project_.signing_key)},
                                  {"form", word_into(project_.form, parse_form)},
                                  {"targets", texts_into(project_.targets)},
                                  {"compress", word_into(project_.compression, parse_compression)}});
        tables["terms"] =
            table({{"refuse", texts_into(project_.refused_licences)},
                   {"settled", [this](const toml::node& node) { return read_decisions(node); }}});
        tables["report"] = table({{"read_me", text_into(project_.read_me_template)}});
        tables["allow"] = [this](const toml::node& node) { return read_allowances(node); };
        tables["state"] = [this](const toml::node& node) { return read_states(node); };
        tables["asset"] = [this](const toml::node& node) { return read_assets(node); };
        return read_table(parsed.table(), tables);
    }

  private:
    std::string at(const toml::source_region& source) const {
        return fmt::format("{}:{}:{}", file_, source.begin.line, source.begin.column);
    }

    tl::unexpected<Error> wrong(const toml::source_region& source, std::string what, std::string why,
                                std::string hint) const {
        return fail(ErrorKind::bad_input, std::move(what), at(source), std::move(why), std::move(hint));
    }

    tl::unexpected<Error> wrong_type(const toml::node& node, const std::string& expected) const {
        std::string found;
        switch (node.type()) {
        case toml::node_type::string:
            found = "a string";
            break;
        case toml::node_type::integer:
            found = "a number";
            break;
        case toml::node_type::floating_point:
            found = "a number";
            break;
        case toml::node_type::boolean:
            found = "true or false";
            break;
        case toml::node_type::array:
            found = "a list";
            break;
        case toml::node_type::table:
            found = "a table";
            break;
        default:
            found = "a date or time";
        }
        return wrong(node.source(), "a value in the project file has the wrong type",
                     fmt::format("{} is expected, here is {}", expected, found),
                     "docs/project-file.md lists all keys with their types");
    }

    Result<void> read_rules(const toml::node& node) {
        std::vector<std::string> rules;
        if (auto read = texts_into(rules)(node); !read) return read;
        for (const std::string& rule : rules)
            if (auto done = turn_off_rule(project_, rule, at(node.source())); !done) return done;
        return {};
    }

    Result<void> read_table(const toml::table& values, const Keys& keys) {
        for (const auto& [key, value] : values) {
            auto known = keys.find(std::string(key.str()));
            if (known != keys.end()) {
                if (auto done = known->second(value); !done) return done;
                continue;
            }
            std::vector<std::string> names;
            for (const auto& [name, take] : keys) names.push_back(name);
            std::vector<std::string> near = near_matches(key.str(), names);
            return wrong(key.source(), fmt::format("unknown key `{}` in the project file", key.str()),
                         near.empty() ? fmt::format("the keys here are {}", fmt::join(names, ", ")) : "",
                         near.empty() ? "docs/project-file.md lists all keys"
                                      : fmt::format("did you mean `{}`?", fmt::join(near, "` or `")));
        }
        return {};
    }

    Take table(Keys keys) {
        return [this, keys = std::move(keys)](const toml::node& node) -> Result<void> {
            if (!node.is_table()) return wrong_type(node, "a table");
            return read_table(*node.as_table(), keys);
        };
    }

    Take text_into(std::string& target) {
        return [this, &target](const toml::node& node) -> Result<void> {
            if (!node.is_string()) return wrong_type(node, "a string");
            target = node.as_string()->get();
            return {};
        };
    }

    Take texts_into(std::vector<std::string>& target) {
        return [this, &target](const toml::node& node) -> Result<void> {
            if (!node.is_array()) return wrong_type(node, "a list of strings");
            for (const toml::node& item : *node.as_array()) {
                if (!item.is_string()) return wrong_type(item, "a string");
                target.push_back(item.as_string()->get());
            }
            return {};
        };
    }

    Take truth_into(bool& target) {
        return [this, &target](const toml::node& node) -> Result<void> {
            if (!node.is_boolean()) return wrong_type(node, "true or false");
            target = node.as_boolean()->get();
            return {};
        };
    }

    template <typename T, typename U>
    Take word_into(T& target, Result<U> (*parse)(const std::string&, const std::string&)) {
        return [this, &target, parse](const toml::node& node) -> Result<void> {
            if (!node.is_string()) return wrong_type(node, "a string");
            auto value = parse(node.as_string()->get(), at(node.source()));
            if (!value) return pass_on(value);
            target = *value;
            return {};
        };
    }

    /// An array of tables: `name` in messages, `keys` for each, `needed` the one that each has.
    Result<void> read_tables(const toml::node& node, const std::string& name, const std::string& needed,
                             const std::function<Keys(const std::string& where)>& keys,
                             const std::function<bool()>& has_needed) {
        if (!node.is_array()) return wrong_type(node, fmt::format("[[{}]] with two pairs of brackets", name));
        for (const toml::node& item : *node.as_array()) {
            if (!item.is_table()) return wrong_type(item, fmt::format("a table with `{}`", needed));
            if (auto done = read_table(*item.as_table(), keys(at(item.source()))); !done) return done;
            if (!has_needed())
                return wrong(item.source(), fmt::format("a table [[{}]] has no `{}`", name, needed),
                             "it says which files are meant", fmt::format("add {} = \"...\"", needed));
        }
        return {};
    }

    Result<void> read_assets(const toml::node& node) {
        return read_tables(
            node, "asset", "from",
            [this](const std::string& where) {
                Asset& asset = project_.assets.emplace_back();
                asset.where = where;
                return Keys{{"from", text_into(asset.from)}, {"to", text_into(asset.to)}};
            },
            [this] { return !project_.assets.back().from.empty(); });
    }

    Result<void> read_allowances(const toml::node& node) {
        auto done = read_tables(
            node, "allow", "file",
            [this](const std::string& where) {
                Allowance& one = project_.allowances.emplace_back();
                one.where = where;
                return Keys{{"file", text_into(one.file)},
                            {"kind", text_into(one.kind)},
                            {"reason", text_into(one.reason)}};
            },
            [this] { return !project_.allowances.back().file.empty(); });
        if (done)
            for (const Allowance& one : project_.allowances)
                if (one.reason.empty())
                    return fail(ErrorKind::bad_input, "a table [[allow]] has no `reason`", one.where,
                                "whoever reads it later wants to know why", "add reason = \"...\"");
        return done;
    }

    Result<void> read_decisions(const toml::node& node) {
        auto done = read_tables(
            node, "terms.settled", "package",
            [this](const std::string& where) {
                LicenceDecision& one = project_.licence_decisions.emplace_back();
                one.where = where;
                return Keys{{"package", text_into(one.package)},
                            {"licence", text_into(one.licence)},
                            {"reason", text_into(one.reason)}};
            },
            [this] { return !project_.licence_decisions.back().package.empty(); });
        if (done)
            for (const LicenceDecision& one : project_.licence_decisions)
                if (one.licence.empty() || one.reason.empty())
                    return fail(ErrorKind::bad_input, "a table [[terms.settled]] is not complete", one.where,
                                one.licence.empty() ? "it has no `licence`" : "it has no `reason`",
                                "add licence = \"...\" (an SPDX name) and reason = \"...\"");
        return done;
    }

    Result<void> read_states(const toml::node& node) {
        return read_tables(
            node, "state", "path",
            [this](const std::string& where) {
                State& state = project_.states.emplace_back();
                state.where = where;
                return Keys{{"path", text_into(state.path)}};
            },
            [this] { return !project_.states.back().path.empty(); });
    }

    Result<void> read_languages(const toml::node& node) {
        return read_tables(
            node, "windows.language", "code",
            [this](const std::string& where) {
                LanguageTexts& texts = project_.windows.languages.emplace_back();
                texts.where = where;
                return Keys{{"code", text_into(texts.language)},
                            {"title", text_into(texts.title)},
                            {"summary", text_into(texts.summary)}};
            },
            [this] { return !project_.windows.languages.back().language.empty(); });
    }

    std::string file_;
    Project& project_;
};

} // namespace

Result<void> read_project_file(const std::filesystem::path& file, Project& project) {
    return ProjectFileReader(file.string(), project).read();
}

} // namespace omnistasis
