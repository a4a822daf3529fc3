#include "runtimes/python/wheel.h"

#include "runtimes/python/distributions.h"
#include "support/archive.h"
#include "support/base64.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/target_info.h"
#include "support/text.h"

#include <algorithm>
#include <charconv>
#include <fmt/format.h>
#include <map>
#include <set>
#include <vector>

namespace omnistasis::python {

namespace {

constexpr std::uint64_t largest_wheel = 8ull << 30;

std::vector<std::string> parts_of(std::string_view text, char separator) {
    std::vector<std::string> parts;
    for (std::size_t end = 0; end != std::string_view::npos; text.remove_prefix(end + 1)) {
        end = text.find(separator);
        parts.emplace_back(text.substr(0, end));
        if (end == std::string_view::npos) break;
    }
    return parts;
}

/// "cp39" with abi3 runs on 3.11 too.
bool fits_interpreter(const std::string& tag, const std::string& abis, int minor) {
    if (tag == "py3" || tag == fmt::format("cp3{}", minor) || tag == fmt::format("py3{}", minor)) return true;
    int of_tag = 0;
    std::string_view digits = std::string_view(tag).substr(std::min<std::size_t>(3, tag.size()));
    std::from_chars(digits.data(), digits.data() + digits.size(), of_tag);
    bool is_stable =
        (tag.starts_with("cp3") && abis.find("abi3") != std::string::npos) || tag.starts_with("py3");
    return is_stable && of_tag > 0 && of_tag <= minor;
}

bool fits_platform(const std::string& tag, const TargetInfo& target) {
    if (tag == "any") return true;
    if (target.system == System::windows) return tag == "win_" + target.manifest_word;
    if (target.system == System::macos)
        return tag.starts_with("macosx_") &&
               (tag.ends_with("_universal2") || tag.ends_with("_" + target.manifest_word));
    return tag.starts_with("manylinux") && tag.ends_with("_" + target.processor);
}

/// The digest that RECORD has as "sha256=" and base64 for addresses, without padding.
std::string digest_text(ByteSpan bytes) {
    std::string text = base64(sha256(bytes));
    std::ranges::replace(text, '+', '-');
    std::ranges::replace(text, '/', '_');
    while (text.ends_with('=')) text.pop_back();
    return "sha256=" + text;
}

tl::unexpected<Error> damaged(const std::filesystem::path& wheel, const std::string& why) {
    return fail(ErrorKind::bad_input, "the wheel is not as its own list says", wheel.string(), why,
                "get it anew from where it came");
}

/// Whether every file of an unpacked wheel is on its list, and as that says.
Result<void> check_record(const std::filesystem::path& wheel, const std::filesystem::path& folder) {
    std::string record_folder;
    for (const FolderEntry& entry : list_folder(folder))
        if (entry.is_folder && entry.name.ends_with(".dist-info")) record_folder = entry.name;
    auto record = read_text(folder / record_folder / "RECORD");
    if (record_folder.empty() || !record) return damaged(wheel, "it has no list, RECORD");
    std::map<std::string, std::string> listed;
    for (const RecordLine& line : record_lines(*record)) listed.emplace(line.path, line.hash);
    Result<void> right;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        if (!right || !entry.is_regular_file()) return;
        std::string inner = entry.path().lexically_relative(folder).string();
        if (inner == record_folder + "/RECORD" || inner.starts_with(record_folder + "/RECORD.")) return;
        // What the wheel fits is written anew by those who name it anew; nothing runs from it.
        if (inner == record_folder + "/WHEEL") return;
        auto known = listed.find(inner);
        if (known == listed.end()) {
            right = damaged(wheel, fmt::format("{} is not on the list", inner));
            return;
        }
        auto content = MappedFile::open(entry.path());
        if (!content) right = pass_on(content);
        // Other digests than this one are allowed, and rare: their files are not compared.
        else if (known->second.starts_with("sha256=") && digest_text(content->bytes()) != known->second)
            right = damaged(wheel, fmt::format("the content of {} is another one", inner));
    });
    return right;
}

/// Where a file of a wheel goes below the environment's folder; empty where it stays out.
std::string place_in_environment(const std::string& inner, const std::string& site_packages) {
    std::size_t slash = inner.find('/');
    if (slash == std::string::npos || !inner.substr(0, slash).ends_with(".data"))
        return site_packages + "/" + inner;
    std::string rest = inner.substr(slash + 1);
    for (std::string_view folder : {"purelib/", "platlib/"})
        if (rest.starts_with(folder)) return site_packages + "/" + rest.substr(folder.size());
    return rest.starts_with("data/") ? rest.substr(5) : std::string();
}

/// The list of an installed package, seen from the folder of modules, as installers rewrite it.
std::string installed_list(const std::string& text, const std::string& site_packages) {
    std::string list;
    for (const RecordLine& line : record_lines(text)) {
        std::string to = place_in_environment(line.path, site_packages);
        if (to.empty()) continue;
        std::string path = fs::path(to).lexically_relative(site_packages).string();
        if (path.find_first_of(",\"") != std::string::npos) {
            replace_all(path, "\"", "\"\"");
            path = "\"" + path + "\"";
        }
        list += fmt::format("{},{},{}\n", path, line.hash, line.size == 0 ? "" : std::to_string(line.size));
    }
    return list;
}

/// Whether packages may differ in a file, seen from the folder of modules, and be installed together all the
/// same: what only their developers need, and the modules of old packages that share a namespace.
bool may_be_shared(const std::string& inner, std::string_view one, std::string_view other) {
    static const std::set<std::string, std::less<>> of_developers{
        "tests", "test", "testing", "docs", "doc", "examples", "example", "scripts", "benchmarks"};
    std::string top = inner.substr(0, inner.find('/'));
    bool is_module = inner.ends_with(".py") || inner.ends_with(".pyd") || inner.ends_with(".so");
    if (of_developers.contains(top) || (top == inner && !is_module)) return true;
    auto is_namespace = [](std::string_view text) {
        return text.find("declare_namespace") != std::string_view::npos ||
               text.find("extend_path") != std::string_view::npos;
    };
    return inner.ends_with("/__init__.py") && is_namespace(one) && is_namespace(other);
}

} // namespace

std::optional<WheelName> read_wheel_name(std::string_view file_name) {
    if (!file_name.ends_with(".whl")) return std::nullopt;
    file_name.remove_suffix(4);
    std::vector<std::string> parts = parts_of(file_name, '-');
    if (parts.size() != 5 && parts.size() != 6) return std::nullopt; // with a build number
    std::size_t tags = parts.size() - 3;
    return WheelName{normalized_distribution_name(parts[0]), parts[1], parts[tags], parts[tags + 1],
                     parts[tags + 2]};
}

bool fits(const WheelName& wheel, int minor, const std::string& target) {
    const TargetInfo* info = find_target(target);
    std::vector<std::string> interpreters = parts_of(wheel.interpreters, '.'),
                             platforms = parts_of(wheel.platforms, '.');
    return info != nullptr &&
           std::ranges::any_of(interpreters,
                               [&](const auto& tag) { return fits_interpreter(tag, wheel.abis, minor); }) &&
           std::ranges::any_of(platforms, [&](const auto& tag) { return fits_platform(tag, *info); });
}

std::vector<std::string> platform_tags(const std::string& target) {
    const TargetInfo* info = find_target(target);
    std::vector<std::string> tags;
    if (info == nullptr) return tags;
    if (info->system == System::windows) return {"win_" + info->manifest_word};
    if (info->system == System::linux) {
        for (int minor : {39, 38, 36, 35, 34, 31, 28, 27, 26, 24, 17, 12, 5})
            tags.push_back(fmt::format("manylinux_2_{}_{}", minor, info->processor));
        for (const char* name : {"manylinux2014", "manylinux2010", "manylinux1"})
            tags.push_back(fmt::format("{}_{}", name, info->processor));
        return tags;
    }
    for (int major = 15; major >= 11; --major)
        for (const std::string& processor : {info->manifest_word, std::string("universal2")})
            tags.push_back(fmt::format("macosx_{}_0_{}", major, processor));
    // Older ones than 11 ran on one processor.
    bool has_older = info->manifest_word == info->processor;
    for (int minor = 16; minor >= 6 && has_older; --minor)
        for (const std::string& processor : {info->manifest_word, std::string("universal2")})
            tags.push_back(fmt::format("macosx_10_{}_{}", minor, processor));
    return tags;
}

Result<void> unpack_wheel(const std::filesystem::path& wheel, const std::filesystem::path& folder) {
    if (auto done = unpack_archive(wheel, folder, largest_wheel); !done) return done;
    return check_record(wheel, folder);
}

Result<void> install_unpacked(const std::filesystem::path& folder, const std::string& name,
                              const std::filesystem::path& environment, const std::string& site_packages) {
    Result<void> result;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        if (!result || !entry.is_regular_file()) return;
        std::string place =
            place_in_environment(entry.path().lexically_relative(folder).string(), site_packages);
        if (place.empty()) return;
        fs::path to = environment / place;
        std::error_code error;
        fs::create_directories(to.parent_path(), error);
        if (is_there(to)) {
            auto one = read_text(to), other = read_text(entry.path());
            std::string inner = relative_to(place, site_packages);
            if (one && other && *one != *other && !may_be_shared(inner, *one, *other))
                result = fail(ErrorKind::bad_input, "two packages have a file at the same place", place,
                              fmt::format("{} brings one, and a package before it another", name),
                              "only one of the two packages can be installed");
            return;
        }
        if (place.ends_with(".dist-info/RECORD")) {
            auto text = read_text(entry.path());
            result = text ? write_atomically(to, installed_list(*text, site_packages))
                          : Result<void>(pass_on(text));
            return;
        }
        // Nothing is ever changed there: one copy serves all environments.
        fs::create_hard_link(entry.path(), to, error);
        if (error) fs::copy_file(entry.path(), to, error);
        if (error)
            result = fail(ErrorKind::unwritable, "can't install the package", to.string(), error.message());
    });
    return result;
}

} // namespace omnistasis::python
