#include "runtimes/node/package_json.h"

#include "support/files.h"

#include <algorithm>

namespace omnistasis::node {

namespace {

std::string text_of(const Json& json, const char* key) {
    auto found = json.find(key);
    return found != json.end() && found->is_string() ? found->get<std::string>() : std::string();
}

/// The name alone of "Name <address> (page)", or of an object with these as fields.
std::string author_of(const Json& json) {
    auto found = json.find("author");
    bool has_fields = found != json.end() && found->is_object();
    std::string name = has_fields ? text_of(*found, "name") : text_of(json, "author");
    name.resize(std::min(name.find_first_of("<("), name.size()));
    while (!name.empty() && name.back() == ' ') name.pop_back();
    return name;
}

void take_list(const Json& json, const char* key, std::vector<std::string>& into) {
    auto found = json.find(key);
    if (found == json.end()) return;
    if (found->is_string()) into.push_back(found->get<std::string>());
    if (found->is_array())
        for (const Json& one : *found)
            if (one.is_string()) into.push_back(one.get<std::string>());
}

void take_names(const Json& json, const char* key, std::vector<std::string>& into) {
    auto found = json.find(key);
    if (found == json.end() || !found->is_object()) return;
    for (const auto& [name, version] : found->items()) into.push_back(name);
}

} // namespace

std::shared_ptr<const PackageJson> read_package_json(const std::string& file) {
    if (!is_file(file)) return nullptr;
    auto package = std::make_shared<PackageJson>();
    package->file = file;
    package->folder = fs::path(file).parent_path().string();
    auto text = MappedFile::open(file);
    if (!text) {
        package->error = text.error().why;
        return package;
    }
    std::string_view content = text->text();
    if (content.starts_with("\xef\xbb\xbf")) content.remove_prefix(3);
    auto read = read_json(content);
    if (!read) {
        std::string_view before = content.substr(0, read.error().byte);
        package->error = read.error().what;
        package->error_line = 1 + static_cast<std::uint32_t>(std::ranges::count(before, '\n'));
        return package;
    }
    const Json& json = *read;
    if (!json.is_object()) {
        package->error = "it is no object";
        package->error_line = 1;
        return package;
    }
    package->name = text_of(json, "name");
    package->version = text_of(json, "version");
    package->main = text_of(json, "main");
    package->description = text_of(json, "description");
    package->licence = text_of(json, "license");
    package->homepage = text_of(json, "homepage");
    package->author = author_of(json);
    package->is_module = text_of(json, "type") == "module";
    if (auto found = json.find("exports"); found != json.end()) package->exports = *found;
    if (auto found = json.find("imports"); found != json.end()) package->imports = *found;
    if (auto found = json.find("bin"); found != json.end()) {
        if (found->is_string()) package->programs[base_name(package->name)] = found->get<std::string>();
        if (found->is_object())
            for (const auto& [name, path] : found->items())
                if (path.is_string()) package->programs[name] = path.get<std::string>();
    }
    take_names(json, "dependencies", package->needs);
    take_names(json, "optionalDependencies", package->may_need);
    take_names(json, "peerDependencies", package->may_need);
    take_names(json, "peerDependencies", package->peers);
    take_names(json, "devDependencies", package->needs_for_development);
    take_list(json, "os", package->systems);
    take_list(json, "cpu", package->processors);
    take_list(json, "libc", package->c_libraries);
    return package;
}

} // namespace omnistasis::node
