#include "runtimes/python/package_lock.h"

#include "support/files.h"
#include "support/toml.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

constexpr std::int64_t lock_format = 1;

struct Key {
    const char* name;
    std::string LockedPackage::*field;
};
constexpr Key keys[] = {{"target", &LockedPackage::target}, {"python", &LockedPackage::python},
                        {"name", &LockedPackage::name},     {"version", &LockedPackage::version},
                        {"file", &LockedPackage::file},     {"sha256", &LockedPackage::sha256}};

tl::unexpected<Error> wrong(const std::filesystem::path& file, std::uint32_t line, const std::string& why) {
    return fail(ErrorKind::bad_input, "the lock of packages can't be read",
                line == 0 ? file.string() : fmt::format("{}:{}", file.string(), line), why,
                "take it from version control, or remove it: `omnistasis packages fetch` makes a new one");
}

/// Names become parts of paths and of command lines.
bool is_plain(const std::string& text) {
    return !text.empty() && text.front() != '-' && text.front() != '.' &&
           std::ranges::all_of(text, [](char c) {
               return std::isalnum(static_cast<unsigned char>(c)) != 0 ||
                      std::string_view("-_.+!").find(c) != std::string_view::npos;
           });
}

} // namespace

std::filesystem::path lock_file_of(const Project& project) {
    return (project.is_installed ? fs::current_path() : project.folder) / lock_name;
}

Result<std::vector<LockedPackage>> read_lock(const std::filesystem::path& file) {
    std::vector<LockedPackage> packages;
    if (!is_file(file)) return packages;
    auto text = read_text(file);
    if (!text) return pass_on(text);
    toml::parse_result parsed = toml::parse(*text, file.string());
    if (!parsed)
        return wrong(file, parsed.error().source().begin.line, std::string(parsed.error().description()));
    if (parsed.table()["format"].value_or<std::int64_t>(0) != lock_format)
        return wrong(file, 0, fmt::format("its format is not {}", lock_format));
    const toml::array* list = parsed.table()["package"].as_array();
    for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
        const toml::table* table = list->get(i)->as_table();
        std::uint32_t line = list->get(i)->source().begin.line;
        if (table == nullptr) return wrong(file, line, "`package` is no table");
        LockedPackage package;
        for (const Key& key : keys) {
            package.*key.field = (*table)[key.name].value_or(std::string());
            if (!is_plain(package.*key.field))
                return wrong(file, line, fmt::format("`{}` is missing, or not as expected", key.name));
        }
        packages.push_back(std::move(package));
    }
    return packages;
}

Result<std::vector<LockedPackage>> read_lock(const std::filesystem::path& file, const std::string& target) {
    auto packages = read_lock(file);
    if (packages) std::erase_if(*packages, [&](const LockedPackage& one) { return one.target != target; });
    return packages;
}

Result<void> write_lock(const std::filesystem::path& file, const std::string& target,
                        std::vector<LockedPackage> packages) {
    auto all = read_lock(file);
    if (!all) return pass_on(all);
    std::erase_if(*all, [&](const LockedPackage& one) { return one.target == target; });
    std::ranges::move(packages, std::back_inserter(*all));
    std::ranges::sort(*all);
    std::string text = fmt::format(
        "# Packages for other systems than the one that this project is developed on. Written by\n"
        "# `omnistasis packages fetch`; keep it with the sources.\nformat = {}\n",
        lock_format);
    for (const LockedPackage& package : *all) {
        text += "\n[[package]]\n";
        for (const Key& key : keys) text += fmt::format("{} = \"{}\"\n", key.name, package.*key.field);
    }
    return write_atomically(file, text);
}

} // namespace omnistasis::python
