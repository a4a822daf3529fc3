#include "runtimes/python/qml_imports.h"

#include <algorithm>

namespace omnistasis::python {

namespace {

/// Calls `take` with the words of each line.
template <typename Take> void each_line_of_words(std::string_view text, Take take) {
    while (!text.empty()) {
        std::string_view line = text.substr(0, text.find('\n'));
        text.remove_prefix(std::min(line.size() + 1, text.size()));
        std::vector<std::string_view> words;
        while (true) {
            std::size_t start = line.find_first_not_of(" \t\r;");
            if (start == std::string_view::npos) break;
            line.remove_prefix(start);
            std::size_t end = std::min(line.find_first_of(" \t\r;"), line.size());
            words.push_back(line.substr(0, end));
            line.remove_prefix(end);
        }
        if (!words.empty()) take(words);
    }
}

bool is_module(std::string_view word) {
    bool begins = !word.empty() && ((word[0] >= 'A' && word[0] <= 'Z') || (word[0] >= 'a' && word[0] <= 'z'));
    return begins && std::ranges::all_of(word, [](char c) {
               return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') ||
                      c == '_' || c == '.';
           });
}

} // namespace

std::vector<std::string> qml_imports(std::string_view document) {
    std::vector<std::string> modules;
    each_line_of_words(document, [&](const std::vector<std::string_view>& words) {
        if (words.size() > 1 && words[0] == "import" && is_module(words[1])) modules.emplace_back(words[1]);
    });
    return modules;
}

std::vector<std::string> qmldir_imports(std::string_view definition) {
    std::vector<std::string> modules;
    each_line_of_words(definition, [&](const std::vector<std::string_view>& words) {
        std::size_t at = words[0] == "optional" || words[0] == "default" ? 1 : 0;
        bool imports = words.size() > at + 1 && (words[at] == "import" || words[at] == "depends");
        if (imports && is_module(words[at + 1])) modules.emplace_back(words[at + 1]);
    });
    return modules;
}

} // namespace omnistasis::python
