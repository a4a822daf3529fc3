#include "review/licence_list.h"

#include "support/text.h"
#include "support/toml.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::review {

namespace fs = std::filesystem;

namespace {

std::string lower_case(std::string_view text) {
    std::string out(text);
    std::ranges::transform(out, out.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return out;
}

/// Letters and digits in lower case, everything between them as one space: as the phrases of the list are.
std::string words_of(std::string_view text) {
    std::string out;
    out.reserve(text.size() + 2);
    out += ' ';
    for (unsigned char c : text) {
        if (std::isalnum(c) != 0)
            out += static_cast<char>(std::tolower(c));
        else if (out.back() != ' ')
            out += ' ';
    }
    if (out.back() != ' ') out += ' ';
    return out;
}

/// Parts of an expression: names, AND, OR, WITH, brackets.
std::vector<std::string> tokens_of(std::string_view expression) {
    std::vector<std::string> tokens;
    std::string word;
    auto end_word = [&] {
        if (!word.empty()) tokens.push_back(std::move(word));
        word.clear();
    };
    for (char c : expression) {
        if (c == '(' || c == ')') {
            end_word();
            tokens.emplace_back(1, c);
        } else if (std::isspace(static_cast<unsigned char>(c))) {
            end_word();
        } else {
            word += c;
        }
    }
    end_word();
    return tokens;
}

bool is_operator(const std::string& token) { return token == "AND" || token == "OR" || token == "WITH"; }

std::string reference(std::string_view name) {
    std::string text = "LicenseRef-";
    for (char c : name)
        text += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '.' || c == '-' ? c : '-';
    return text;
}

std::vector<std::string> texts(const toml::table& table, const char* key) {
    std::vector<std::string> out;
    if (const toml::array* list = table[key].as_array())
        for (const toml::node& node : *list) out.push_back(node.value_or(std::string()));
    return out;
}

} // namespace

std::vector<std::string> licences_in(std::string_view expression) {
    std::vector<std::string> found;
    bool exception = false;
    for (const std::string& token : tokens_of(expression)) {
        bool name = token != "(" && token != ")" && !is_operator(token) && !exception;
        exception = token == "WITH";
        if (name && std::ranges::find(found, token) == found.end()) found.push_back(token);
    }
    return found;
}

Result<LicenceList> LicenceList::read(const fs::path& data) {
    fs::path file = data / "review/licences.toml";
    toml::parse_result parsed = toml::parse_file(file.string());
    if (!parsed)
        return fail(ErrorKind::fault, "can't read the list of licences", file,
                    std::string(parsed.error().description()), "install Omnistasis anew");
    LicenceList list;
    if (const toml::array* families = parsed.table()["family"].as_array())
        for (const toml::node& node : *families)
            if (const toml::table* one = node.as_table())
                list.families_.push_back(
                    {(*one)["name"].value_or(std::string()), (*one)["asks"].value_or(std::string())});
    if (const toml::array* licences = parsed.table()["licence"].as_array())
        for (const toml::node& node : *licences) {
            const toml::table* one = node.as_table();
            if (one == nullptr) continue;
            std::string id = (*one)["id"].value_or(std::string());
            std::string family = (*one)["family"].value_or(std::string());
            auto found = std::ranges::find(list.families_, family, &LicenceFamily::name);
            list.family_of_.emplace(id, static_cast<std::size_t>(found - list.families_.begin()));
            list.by_name_.emplace(lower_case(id), id);
            for (const std::string& name : texts(*one, "names")) list.by_name_.emplace(name, id);
            for (const std::string& name : texts(*one, "classifiers"))
                list.by_name_.emplace(lower_case(name), id);
            for (const std::string& name : texts(*one, "debian"))
                list.by_debian_.emplace(lower_case(name), id);
            Sign sign{id, texts(*one, "text"), texts(*one, "without")};
            if (!sign.text.empty()) list.signs_.push_back(std::move(sign));
        }
    if (list.families_.empty())
        return fail(ErrorKind::fault, "the list of licences is empty", file, "", "install Omnistasis anew");
    return list;
}

std::string LicenceList::by_name(std::string_view said) const {
    std::string words = lower_case(trimmed(said));
    for (std::string_view front : {"the ", "license :: osi approved :: ", "license :: "})
        if (words.starts_with(front)) words.erase(0, front.size());
    if (auto found = by_name_.find(words); found != by_name_.end()) return found->second;
    for (std::string_view end : {" license", " licence", " licensed", "."})
        if (words.ends_with(end)) words.erase(words.size() - end.size());
    auto found = by_name_.find(words);
    return found == by_name_.end() ? std::string() : found->second;
}

std::vector<std::string> LicenceList::by_text(std::string_view text) const {
    std::string words = words_of(text);
    std::vector<std::pair<std::size_t, std::string>> found;
    for (const Sign& sign : signs_) {
        std::size_t first = std::string::npos;
        bool all = std::ranges::all_of(sign.text, [&](const std::string& phrase) {
            std::size_t at = words.find(" " + phrase + " ");
            first = std::min(first, at);
            return at != std::string::npos;
        });
        bool other = std::ranges::any_of(sign.without, [&](const std::string& phrase) {
            return words.find(" " + phrase + " ") != std::string::npos;
        });
        bool known =
            std::ranges::find(found, sign.id, &std::pair<std::size_t, std::string>::second) != found.end();
        if (all && !other && !known) found.emplace_back(first, sign.id);
    }
    std::ranges::stable_sort(found, {}, &std::pair<std::size_t, std::string>::first);
    std::vector<std::string> ids;
    for (auto& [at, id] : found) ids.push_back(std::move(id));
    // A licence with an exception comes with the text of the one without, and with those of the files around
    // it.
    if (auto with = std::ranges::find_if(
            ids, [](const std::string& id) { return id.find(" WITH ") != std::string::npos; });
        with != ids.end())
        return {*with};
    // "or any later version" stands in a notice, the version itself in the text behind it: one licence.
    std::erase_if(ids, [&](const std::string& id) {
        if (!id.ends_with("-only")) return false;
        std::string later = id.substr(0, id.size() - 4) + "or-later";
        return std::ranges::find(ids, later) != ids.end();
    });
    return ids;
}

std::string LicenceList::of_debian_name(std::string_view name) const {
    auto known = by_debian_.find(lower_case(name));
    if (known != by_debian_.end()) return known->second;
    std::string other = by_name(name);
    return other.empty() ? reference(name) : other;
}

std::string LicenceList::of_debian(std::string_view copyright) const {
    bool readable = copyright.substr(0, 2000).find("copyright-format/1") != std::string_view::npos ||
                    copyright.starts_with("Format:");
    std::string said;
    bool of_all = false;
    for (std::size_t at = 0; readable && at < copyright.size();) {
        std::size_t end = std::min(copyright.find('\n', at), copyright.size());
        std::string_view line = copyright.substr(at, end - at);
        at = end + 1;
        if (line.empty()) of_all = false;
        if (line.starts_with("Files:")) of_all = trimmed(line.substr(6)).starts_with("*");
        if (of_all && line.starts_with("License:") && said.empty()) said = trimmed(line.substr(8));
    }
    if (said.empty()) {
        std::vector<std::string> by_words = by_text(copyright);
        return by_words.empty() ? std::string() : fmt::format("{}", fmt::join(by_words, " AND "));
    }
    // "GPL-2+ and Expat", "MPL-1.1 or LGPL-2.1+, and BSD-3-clause with an exception"
    std::replace(said.begin(), said.end(), ',', ' ');
    std::vector<std::string> parts;
    std::string last;
    bool skips = false;
    for (const std::string& token : tokens_of(said)) {
        std::string word = lower_case(token);
        if (word == "and" || word == "or" || word == "|" || word == "and/or") {
            skips = false;
            std::string joined = word == "and" ? "AND" : "OR";
            if (!parts.empty() && is_operator(parts.back()))
                parts.back() = joined;
            else
                parts.push_back(joined);
        } else if (word == "with") {
            skips = true; // an exception permits more; the licence is the same
        } else if (!skips && token != "(" && token != ")") {
            if (!parts.empty() && !is_operator(parts.back())) continue;
            parts.push_back(of_debian_name(token));
        }
    }
    while (!parts.empty() && is_operator(parts.back())) parts.pop_back();
    if (!parts.empty() && is_operator(parts.front())) parts.erase(parts.begin());
    bool mixed =
        std::ranges::find(parts, "AND") != parts.end() && std::ranges::find(parts, "OR") != parts.end();
    if (!mixed) return fmt::format("{}", fmt::join(parts, " "));
    // OR binds closer in these files: "A or B, and C".
    std::string expression, group;
    bool either = false;
    auto end_group = [&] {
        if (!group.empty())
            expression += (expression.empty() ? "" : " AND ") + (either ? "(" + group + ")" : group);
        group.clear();
        either = false;
    };
    for (const std::string& part : parts) {
        if (part == "AND") {
            end_group();
        } else if (part == "OR") {
            either = true;
            group += " OR ";
        } else {
            group += part;
        }
    }
    end_group();
    return expression;
}

bool LicenceList::is_expression(std::string_view text) const {
    std::vector<std::string> names = licences_in(text);
    return !names.empty() && std::ranges::all_of(names, [&](const std::string& name) {
        return family_of_.contains(name) || name.starts_with("LicenseRef-");
    }) && names.size() <= tokens_of(text).size();
}

bool LicenceList::knows(std::string_view expression) const {
    std::vector<std::string> names = licences_in(expression);
    return !names.empty() &&
           std::ranges::all_of(names, [&](const std::string& name) { return family_of_.contains(name); });
}

std::size_t LicenceList::rank_of(std::string_view expression) const {
    std::size_t unknown = families_.size() - 1;
    std::size_t worst = 0, choice = unknown;
    bool either = expression.find(" OR ") != std::string_view::npos;
    std::vector<std::string> names = licences_in(expression);
    for (const std::string& name : names) {
        auto known = family_of_.find(name);
        std::size_t rank = known == family_of_.end() ? unknown : known->second;
        worst = std::max(worst, rank);
        choice = std::min(choice, rank);
    }
    if (names.empty()) return unknown;
    // What an exception permits may make it a lesser one.
    if (auto whole = family_of_.find(expression); whole != family_of_.end()) return whole->second;
    return either && expression.find(" AND ") == std::string_view::npos ? choice : worst;
}

const LicenceFamily& LicenceList::family_of(std::string_view expression) const {
    return families_[rank_of(expression)];
}

} // namespace omnistasis::review
