#include "project/project_keys.h"

#include "project/project_words.h"
#include "support/files.h"

namespace omnistasis {

namespace {

using Strings = std::vector<std::string>;

/// A text; `get` gives the project's field.
template <typename Get> ProjectKey text(const char* name, Get get) {
    return {name, std::string(),
            [get](Project& project, KeyValue value, const std::string&) -> Result<void> {
                get(project) = std::get<std::string>(std::move(value));
                return {};
            },
            [get](const Project& project) -> KeyValue { return get(project); }};
}

/// A path, written relative to the project's folder where it lies below it.
template <typename Get> ProjectKey path(const char* name, Get get) {
    ProjectKey key = text(name, get);
    key.value = [get](const Project& project) -> KeyValue {
        std::string plain = get(project);
        if (!fs::path(plain).is_absolute()) return plain;
        std::string relative = fs::path(plain).lexically_relative(project.folder).string();
        return relative.empty() || relative.starts_with("..") ? plain : relative;
    };
    return key;
}

template <typename Get> ProjectKey texts(const char* name, Get get) {
    return {name, Strings(),
            [get](Project& project, KeyValue value, const std::string&) -> Result<void> {
                for (std::string& one : std::get<Strings>(value)) get(project).push_back(std::move(one));
                return {};
            },
            [get](const Project& project) -> KeyValue { return get(project); }};
}

template <typename Get> ProjectKey truth(const char* name, Get get) {
    return {name, false,
            [get](Project& project, KeyValue value, const std::string&) -> Result<void> {
                get(project) = std::get<bool>(value);
                return {};
            },
            [get](const Project& project) -> KeyValue { return get(project); }};
}

/// One of several words. `usual`: the value that is not written.
template <typename Get, typename Word, std::size_t N>
ProjectKey word(const char* name, const char* kind, const Words<Word, N>& words, Get get,
                std::optional<Word> usual = std::nullopt) {
    return {name, std::string(),
            [get, kind, &words](Project& project, KeyValue value, const std::string& where) -> Result<void> {
                auto known = parse_word(words, kind, std::get<std::string>(value), where);
                if (!known) return pass_on(known);
                get(project) = *known;
                return {};
            },
            [get, &words, usual](const Project& project) -> KeyValue {
                std::optional<Word> present = get(project);
                return present && present != usual ? word_of(words, *present) : std::string();
            }};
}

/// `without`: the rules of the trace that are off.
ProjectKey rules() {
    return {"without", Strings(),
            [](Project& project, KeyValue value, const std::string& where) -> Result<void> {
                for (const std::string& rule : std::get<Strings>(value))
                    if (auto done = turn_off_rule(project, rule, where); !done) return done;
                return {};
            },
            [](const Project& project) -> KeyValue {
                Strings off;
                for (const auto& [name, rule] : trace_rules)
                    if (!(project.*rule)) off.emplace_back(name);
                return off;
            }};
}

template <typename Record> struct Field {
    const char* name;
    std::string Record::*text;
    const char* needed_because = "";
};

/// A list of records; `list` gives the project's.
template <typename Record, typename List>
ProjectRecords records(const char* name, List list, std::vector<Field<Record>> fields) {
    ProjectRecords out{.name = name, .keys = {}, .add = {}, .put = {}, .count = {}, .value = {}};
    for (const auto& field : fields) out.keys.push_back({field.name, field.needed_because});
    out.add = [list](Project& project, const std::string& where) {
        list(project).emplace_back().where = where;
    };
    out.put = [list, fields](Project& project, std::size_t key, std::string value) {
        list(project).back().*(fields[key].text) = std::move(value);
    };
    out.count = [list](const Project& project) { return list(project).size(); };
    out.value = [list, fields](const Project& project, std::size_t record, std::size_t key) {
        return list(project)[record].*(fields[key].text);
    };
    return out;
}

ProjectRecords states() {
    ProjectRecords out =
        records<State>("state", [](auto& project) -> auto& { return project.states; },
                       {{"path", &State::path, "it says which file or folder the application writes"}});
    out.value = [](const Project& project, std::size_t record, std::size_t) {
        const State& state = project.states[record];
        return state.path + (state.is_folder && !state.path.ends_with('/') ? "/" : "");
    };
    return out;
}

/// The output's file name is its title where it has no other.
ProjectKey title() {
    ProjectKey key = text(
        "title", [](auto& project) -> auto& { return project.title; });
    key.value = [](const Project& project) -> KeyValue {
        return project.title == project.name ? std::string() : project.title;
    };
    return key;
}

// The field of a project, constant or not.
#define FIELD(name)                                                                                          \
    [](auto& project) -> auto& { return project.name; }

std::vector<ProjectPart> describe() {
    std::vector<ProjectPart> parts;
    parts.push_back(
        ProjectTable{"app",
                     {text("name", FIELD(name)), title(), text("version", FIELD(version)),
                      text("publisher", FIELD(publisher)), text("summary", FIELD(summary)),
                      text("description", FIELD(description)), text("identifier", FIELD(identifier)),
                      text("homepage", FIELD(homepage)), text("licence", FIELD(licence)),
                      text("released", FIELD(released)), text("entry", FIELD(entry)),
                      word<>("mode", "mode", mode_words, FIELD(mode)),
                      word<>("working_folder", "working folder", working_folder_words, FIELD(working_folder)),
                      path("icon", FIELD(icon))},
                     {}});
    parts.push_back(
        ProjectTable{"runtime",
                     {text("language", FIELD(language)), path("home", FIELD(runtime_home)),
                      truth("sources", FIELD(sources)), truth("drop_docstrings", FIELD(drop_docstrings))},
                     {}});
    parts.push_back(ProjectTable{"trace",
                                 {rules(), texts("include", FIELD(include)), texts("exclude", FIELD(exclude)),
                                  texts("lore", FIELD(lore))},
                                 {}});
    parts.push_back(ProjectTable{"native",
                                 {truth("carry_libc", FIELD(carry_libc)),
                                  truth("keep_debug_symbols", FIELD(keep_debug_symbols)),
                                  texts("carry", FIELD(carried_libraries)),
                                  texts("host", FIELD(host_libraries)), texts("programs", FIELD(programs))},
                                 {}});
    parts.push_back(
        records<Asset>("asset", FIELD(assets),
                       {{"from", &Asset::from, "it says which files are meant"}, {"to", &Asset::to}}));
    parts.push_back(states());
    parts.push_back(records<Allowance>("allow", FIELD(allowances),
                                       {{"file", &Allowance::file, "it says which files are meant"},
                                        {"kind", &Allowance::kind},
                                        {"reason", &Allowance::reason, "later readers need the reason"}}));
    parts.push_back(
        ProjectTable{"terms",
                     {texts("refuse", FIELD(refused_licences))},
                     {records<LicenceDecision>(
                         "settled", FIELD(licence_decisions),
                         {{"package", &LicenceDecision::package, "it says which package is meant"},
                          {"licence", &LicenceDecision::licence, "it is what is settled: an SPDX name"},
                          {"reason", &LicenceDecision::reason, "later readers need the reason"}})}});
    parts.push_back(ProjectTable{"report", {path("read_me", FIELD(read_me_template))}, {}});
    parts.push_back(ProjectTable{
        "windows",
        {word<>("elevation", "elevation", elevation_words, FIELD(windows.elevation),
                std::optional(Elevation::caller)),
         word<>("code_page", "code page", code_page_words, FIELD(windows.code_page),
                std::optional(CodePage::runtime)),
         word<>("scaling", "scaling", scaling_words, FIELD(windows.scaling), std::optional(Scaling::runtime)),
         text("copyright", FIELD(windows.copyright)), text("comments", FIELD(windows.comments))},
        {records<LanguageTexts>("language", FIELD(windows.languages),
                                {{"code", &LanguageTexts::language, "it says which language is meant"},
                                 {"title", &LanguageTexts::title},
                                 {"summary", &LanguageTexts::summary}})}});
    parts.push_back(ProjectTable{
        "linux",
        {texts("categories", FIELD(linux_categories)), text("window_class", FIELD(window_class))},
        {}});
    parts.push_back(ProjectTable{"macos", {text("category", FIELD(macos_category))}, {}});
    parts.push_back(
        ProjectTable{"output",
                     {path("sign", FIELD(signing_key)), word<>("form", "form", form_words, FIELD(form)),
                      word<>("compress", "compression", compression_words, FIELD(compression),
                             std::optional(Compression::balanced)),
                      texts("targets", FIELD(targets))},
                     {}});
    return parts;
}

#undef FIELD

} // namespace

const std::vector<ProjectPart>& project_parts() {
    static const std::vector<ProjectPart> parts = describe();
    return parts;
}

} // namespace omnistasis
