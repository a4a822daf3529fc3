#pragma once

#include "project/project.h"

#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <string>
#include <utility>
#include <vector>

// The words that options and keys of the project file have for values.

namespace omnistasis {

template <typename T, std::size_t N> using Words = std::array<std::pair<const char*, T>, N>;

constexpr Words<Mode, 2> mode_words{{{"console", Mode::console}, {"window", Mode::window}}};
constexpr Words<Form, 2> form_words{{{"file", Form::file}, {"folder", Form::folder}}};
constexpr Words<Elevation, 3> elevation_words{{{"caller", Elevation::caller},
                                               {"highest", Elevation::highest},
                                               {"administrator", Elevation::administrator}}};
constexpr Words<CodePage, 2> code_page_words{{{"runtime", CodePage::runtime}, {"utf-8", CodePage::utf8}}};
constexpr Words<Scaling, 4> scaling_words{{{"runtime", Scaling::runtime},
                                           {"none", Scaling::none},
                                           {"system", Scaling::system},
                                           {"monitor", Scaling::monitor}}};
constexpr Words<WorkingFolder, 2> working_folder_words{
    {{"caller", WorkingFolder::caller}, {"app", WorkingFolder::app}}};
constexpr Words<Compression, 3> compression_words{
    {{"fast", Compression::fast}, {"balanced", Compression::balanced}, {"small", Compression::small}}};

/// Rules of the trace that can be turned off.
constexpr Words<bool Project::*, 3> trace_rules{{{"own-files", &Project::own_files},
                                                 {"whole-packages", &Project::whole_packages},
                                                 {"trial-imports", &Project::trial_imports}}};

/// The value of a word; `kind` says in messages what it is, `where` where it stands.
template <typename T, std::size_t N>
Result<T> parse_word(const Words<T, N>& words, const std::string& kind, const std::string& word,
                     const std::string& where) {
    std::vector<std::string> names;
    for (const auto& [name, value] : words) {
        if (word == name) return value;
        names.emplace_back(name);
    }
    // A position in a file is bad input; an option is wrong usage.
    return fail(where.starts_with("--") ? ErrorKind::usage : ErrorKind::bad_input,
                fmt::format("there is no {} `{}`", kind, word), where, "",
                fmt::format("it is one of {}", fmt::join(names, ", ")));
}

template <typename T, std::size_t N> std::string word_of(const Words<T, N>& words, T wanted) {
    for (const auto& [name, value] : words)
        if (value == wanted) return name;
    return {};
}

} // namespace omnistasis
