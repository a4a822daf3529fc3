#include "runtimes/python/package_stock.h"

#include "runtimes/python/package_cleaning.h"
#include "runtimes/python/wheel.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/user_data.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::python {

PackageStock PackageStock::of_user() {
    return PackageStock(user_data_folder("packages", "OMNISTASIS_PACKAGES"));
}

Result<std::string> PackageStock::add(const fs::path& wheel) const {
    auto content = MappedFile::open(wheel);
    if (!content) return pass_on(content);
    std::string digest = hex(sha256(content->bytes()));
    fs::path folder = folder_ / "wheels" / digest;
    if (is_file(folder / wheel.filename())) return digest;
    std::error_code failed;
    fs::create_directories(folder, failed);
    if (failed)
        return fail(ErrorKind::unwritable, "can't make the folder", folder.string(), failed.message());
    if (auto written = write_atomically(folder / wheel.filename(), content->text()); !written)
        return pass_on(written);
    return digest;
}

fs::path PackageStock::find(const std::string& file, const std::string& sha256) const {
    fs::path wheel = folder_ / "wheels" / sha256 / file;
    return is_file(wheel) ? wheel : fs::path();
}

Result<fs::path> PackageStock::unpacked(const fs::path& wheel) const {
    fs::path all = folder_ / "unpacked", made = all / wheel.parent_path().filename();
    if (is_folder(made)) return made;
    std::error_code failed;
    fs::create_directories(all, failed);
    if (failed) return fail(ErrorKind::unwritable, "can't make the folder", all.string(), failed.message());
    auto staging = StagingFolder::make(all, "wheel");
    if (!staging) return pass_on(staging);
    fs::path inner = staging->path() / "files";
    fs::create_directory(inner, failed);
    if (auto done = unpack_wheel(wheel, inner); !done) return pass_on(done);
    fs::rename(inner, made, failed);
    if (failed && !is_folder(made))
        return fail(ErrorKind::unwritable, "can't put the package in its place", made.string(),
                    failed.message());
    return made;
}

Result<fs::path> PackageStock::environment(const std::vector<LockedPackage>& packages,
                                           const std::string& site_packages) const {
    constexpr std::string_view layout = "2"; // of environments
    std::string subject = fmt::format("{} {}", layout, site_packages);
    std::vector<fs::path> wheels;
    std::vector<std::string> missing;
    for (const LockedPackage& package : packages) {
        subject += "\n" + package.file + " " + package.sha256;
        fs::path wheel = find(package.file, package.sha256);
        if (wheel.empty()) missing.push_back(package.file);
        wheels.push_back(std::move(wheel));
    }
    if (!missing.empty())
        return fail(
            ErrorKind::missing,
            fmt::format("packages for {} are not on this machine", packages.front().target),
            (folder_ / "wheels").string(),
            fmt::format("the lock names {}, with their SHA-256", fmt::join(missing, ", ")),
            fmt::format("omnistasis packages fetch --target {} brings them; from a folder of wheels with "
                        "--from FOLDER",
                        packages.front().target));
    fs::path environments = folder_ / "environments",
             made = environments / hex(sha256(subject)).substr(0, 16);
    note_use(folder_, made.filename(), packages);
    if (is_folder(made)) return made;
    std::error_code failed;
    fs::create_directories(environments, failed);
    if (failed)
        return fail(ErrorKind::unwritable, "can't make the folder", environments.string(), failed.message());
    auto staging = StagingFolder::make(environments, "environment");
    if (!staging) return pass_on(staging);
    fs::path inner = staging->path() / "all";
    fs::create_directories(inner / site_packages, failed);
    for (const fs::path& wheel : wheels) {
        auto files = unpacked(wheel);
        if (!files) return pass_on(files);
        auto done = install_unpacked(*files, wheel.filename().string(), inner, site_packages);
        if (!done) return pass_on(done);
    }
    fs::rename(inner, made, failed);
    if (failed && !is_folder(made))
        return fail(ErrorKind::unwritable, "can't put the packages in their place", made.string(),
                    failed.message());
    return made;
}

} // namespace omnistasis::python
