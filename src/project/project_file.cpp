// Reads and writes omnistasis.toml from the description of its keys.
#include "project/project_file.h"

#include "project/project_keys.h"
#include "support/files.h"
#include "support/near_match.h"
#include "support/toml.h"
#include "support/toml_text.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis {

namespace {

constexpr std::size_t most_bytes = 1u << 20;

std::string name_of(const ProjectPart& part) {
    return std::visit([](const auto& one) { return one.name; }, part);
}

/// What a value is, in words.
std::string type_words(const toml::node& node) {
    switch (node.type()) {
    case toml::node_type::string:
        return "a string";
    case toml::node_type::integer:
    case toml::node_type::floating_point:
        return "a number";
    case toml::node_type::boolean:
        return "true or false";
    case toml::node_type::array:
        return "a list";
    case toml::node_type::table:
        return "a table";
    default:
        return "a date or time";
    }
}

class ProjectFileReader {
  public:
    ProjectFileReader(std::string file, Project& project) : file_(std::move(file)), project_(project) {}

    Result<void> read() {
        auto text = read_text(file_);
        if (!text) return pass_on(text);
        if (text->size() > most_bytes)
            return fail(ErrorKind::bad_input, "the project file is too large", file_,
                        fmt::format("it has {} bytes, and may have {}", text->size(), most_bytes),
                        "name folders and patterns instead of single files");
        toml::parse_result parsed = toml::parse(*text, file_);
        if (!parsed)
            return wrong(parsed.error().source(), "the project file is not valid TOML",
                         std::string(parsed.error().description()),
                         "docs/project-file.md shows a complete example");
        std::vector<std::string> names;
        for (const ProjectPart& part : project_parts()) names.push_back(name_of(part));
        for (const auto& [key, value] : parsed.table()) {
            auto part = std::ranges::find(project_parts(), key.str(), name_of);
            if (part == project_parts().end()) return unknown(key, names);
            const toml::node& node = value;
            auto done =
                std::visit([&](const auto& known) { return read_part(known, node, known.name); }, *part);
            if (!done) return done;
        }
        return {};
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
        return wrong(node.source(), "a value in the project file has the wrong type",
                     fmt::format("{} is expected, here is {}", expected, type_words(node)),
                     "docs/project-file.md lists all keys with their types");
    }

    tl::unexpected<Error> unknown(const toml::key& key, const std::vector<std::string>& names) const {
        std::vector<std::string> near = near_matches(key.str(), names);
        return wrong(key.source(), fmt::format("unknown key `{}` in the project file", key.str()),
                     near.empty() ? fmt::format("the keys here are {}", fmt::join(names, ", ")) : "",
                     near.empty() ? "docs/project-file.md lists all keys"
                                  : fmt::format("did you mean `{}`?", fmt::join(near, "` or `")));
    }

    Result<void> read_part(const ProjectTable& table, const toml::node& node, const std::string& name) {
        if (!node.is_table()) return wrong_type(node, "a table");
        std::vector<std::string> names;
        for (const ProjectKey& key : table.keys) names.push_back(key.name);
        for (const ProjectRecords& list : table.lists) names.push_back(list.name);
        for (const auto& [key, value] : *node.as_table()) {
            const toml::node& inner = value;
            Result<void> done;
            if (auto known = std::ranges::find(table.keys, key.str(), &ProjectKey::name);
                known != table.keys.end())
                done = read_key(*known, inner);
            else if (auto list = std::ranges::find(table.lists, key.str(), &ProjectRecords::name);
                     list != table.lists.end())
                done = read_part(*list, inner, name + "." + list->name);
            else
                return unknown(key, names);
            if (!done) return done;
        }
        return {};
    }

    Result<void> read_key(const ProjectKey& key, const toml::node& node) {
        auto value = value_of(key.type, node);
        if (!value) return pass_on(value);
        return key.put(project_, std::move(*value), at(node.source()));
    }

    Result<KeyValue> value_of(const KeyValue& type, const toml::node& node) const {
        if (std::holds_alternative<bool>(type)) {
            if (!node.is_boolean()) return wrong_type(node, "true or false");
            return KeyValue(node.as_boolean()->get());
        }
        if (std::holds_alternative<std::string>(type)) {
            if (!node.is_string()) return wrong_type(node, "a string");
            return KeyValue(node.as_string()->get());
        }
        if (!node.is_array()) return wrong_type(node, "a list of strings");
        std::vector<std::string> texts;
        for (const toml::node& item : *node.as_array()) {
            if (!item.is_string()) return wrong_type(item, "a string");
            texts.push_back(item.as_string()->get());
        }
        return KeyValue(std::move(texts));
    }

    Result<void> read_part(const ProjectRecords& list, const toml::node& node, const std::string& name) {
        if (!node.is_array()) return wrong_type(node, fmt::format("[[{}]] with two pairs of brackets", name));
        std::vector<std::string> names;
        for (const RecordKey& key : list.keys) names.push_back(key.name);
        for (const toml::node& item : *node.as_array()) {
            if (!item.is_table()) return wrong_type(item, fmt::format("a table with `{}`", names.front()));
            list.add(project_, at(item.source()));
            for (const auto& [key, value] : *item.as_table()) {
                auto known = std::ranges::find(names, key.str());
                if (known == names.end()) return unknown(key, names);
                auto text = value_of(std::string(), value);
                if (!text) return pass_on(text);
                list.put(project_, static_cast<std::size_t>(known - names.begin()),
                         std::get<std::string>(std::move(*text)));
            }
            std::size_t last = list.count(project_) - 1;
            for (std::size_t i = 0; i < list.keys.size(); ++i)
                if (!list.keys[i].needed_because.empty() && list.value(project_, last, i).empty())
                    return wrong(item.source(), fmt::format("a table [[{}]] has no `{}`", name, names[i]),
                                 list.keys[i].needed_because, fmt::format("add {} = \"...\"", names[i]));
        }
        return {};
    }

    std::string file_;
    Project& project_;
};

class ProjectFileWriter {
  public:
    explicit ProjectFileWriter(const Project& project) : project_(project) {}

    std::string text() {
        for (const ProjectPart& part : project_parts())
            std::visit([&](const auto& known) { write(known, known.name); }, part);
        return std::move(text_);
    }

  private:
    void write(const ProjectTable& table, const std::string& name) {
        std::string lines;
        for (const ProjectKey& key : table.keys) {
            std::string value =
                std::visit([](const auto& one) { return toml_value(one); }, key.value(project_));
            if (!value.empty()) lines += fmt::format("{} = {}\n", key.name, value);
        }
        if (!lines.empty()) head("[" + name + "]") += lines;
        for (const ProjectRecords& list : table.lists) write(list, name + "." + list.name);
    }

    void write(const ProjectRecords& list, const std::string& name) {
        for (std::size_t record = 0; record < list.count(project_); ++record) {
            head("[[" + name + "]]");
            for (std::size_t key = 0; key < list.keys.size(); ++key)
                if (std::string value = toml_value(list.value(project_, record, key)); !value.empty())
                    text_ += fmt::format("{} = {}\n", list.keys[key].name, value);
        }
    }

    std::string& head(const std::string& line) {
        text_ += (text_.empty() ? "" : "\n") + line + "\n";
        return text_;
    }

    // Empty for what need not be said.
    static std::string toml_value(const std::string& text) {
        return text.empty() ? std::string() : toml_quoted(text);
    }
    static std::string toml_value(bool truth) { return truth ? "true" : ""; }
    static std::string toml_value(const std::vector<std::string>& texts) {
        std::vector<std::string> parts;
        for (const std::string& text : texts) parts.push_back(toml_quoted(text));
        return parts.empty() ? std::string() : fmt::format("[{}]", fmt::join(parts, ", "));
    }

    const Project& project_;
    std::string text_;
};

} // namespace

Result<void> read_project_file(const std::filesystem::path& file, Project& project) {
    return ProjectFileReader(file.string(), project).read();
}

std::string project_file_text(const Project& project) { return ProjectFileWriter(project).text(); }

} // namespace omnistasis
