// Packages of another system, brought with pip. What pip decides is which file of a version fits the target;
// which packages and versions are needed is decided before.
#include "runtimes/pip.h"
#include "runtimes/python/package_stock.h"
#include "runtimes/python/target_packages.h"
#include "runtimes/python/wheel.h"
#include "support/subprocess.h"
#include "support/text.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::python {

namespace {

std::string asked_for(const trace::NeededPackage& one) {
    return one.name + (one.version.empty() ? one.versions : "==" + one.version);
}

std::vector<fs::path> wheels_in(const fs::path& folder) {
    std::vector<fs::path> wheels;
    for (const FolderEntry& entry : list_folder(folder))
        if (entry.name.ends_with(".whl")) wheels.push_back(folder / entry.name);
    return wheels;
}

/// One fetch: pip, a folder that it puts files into, and what was run so far.
class Fetch {
  public:
    Fetch(const Facts& facts, std::vector<std::string> pip, fs::path folder, fs::path from)
        : facts_(facts), pip_(std::move(pip)), folder_(std::move(folder)), from_(std::move(from)) {}

    /// Gets files for all of them; empty where that worked, else why it did not.
    std::string download(const std::vector<std::string>& what, const fs::path& to) {
        std::vector<std::string> command = common("download");
        command.insert(command.end(),
                       {"--only-binary=:all:", "--dest", to.string(), "--implementation", "cp",
                        "--python-version", fmt::format("{}.{}", facts_.major, facts_.minor), "--abi",
                        fmt::format("cp{}{}", facts_.major, facts_.minor), "--abi", "abi3", "--abi", "none"});
        for (const std::string& tag : platform_tags(facts_.target))
            command.insert(command.end(), {"--platform", tag});
        command.insert(command.end(), what.begin(), what.end());
        return run(command);
    }

    /// Builds a wheel of the sources, where it is one for any system.
    bool build_pure(const std::string& what) {
        fs::path to = folder_ / "built";
        std::vector<std::string> command = common("wheel");
        command.insert(command.end(), {"--use-pep517", "--wheel-dir", to.string(), what});
        if (!run(command).empty()) return false;
        bool is_made = false;
        for (const fs::path& wheel : wheels_in(to)) {
            auto name = read_wheel_name(wheel.filename().string());
            std::error_code failed;
            bool is_fit = name && fits(*name, facts_.minor, facts_.target);
            is_made |= is_fit;
            if (is_fit)
                fs::rename(wheel, folder_ / wheel.filename(), failed);
            else
                fs::remove(wheel, failed);
        }
        return is_made;
    }

    /// The version that does have a wheel; empty where none has.
    std::string other_version(const std::string& name) {
        fs::path to = folder_ / "other";
        if (!download({name}, to).empty()) return {};
        for (const fs::path& wheel : wheels_in(to))
            if (auto read = read_wheel_name(wheel.filename().string()); read && read->name == name)
                return read->version;
        return {};
    }

    std::vector<std::string> commands;
    bool was_unanswered = false; ///< a registry did not answer

  private:
    std::vector<std::string> common(const std::string& word) {
        std::vector<std::string> command = pip_;
        command.insert(command.end(),
                       {word, "--quiet", "--disable-pip-version-check", "--no-input", "--no-deps"});
        if (!from_.empty()) command.insert(command.end(), {"--no-index", "--find-links", from_.string()});
        return command;
    }

    std::string run(const std::vector<std::string>& command) {
        commands.push_back(fmt::format("{}", fmt::join(command, " ")));
        auto output = run_program(command);
        if (!output) return output.error().what;
        // That no package was found is all that pip says at its end, whatever the reason.
        if (output->exit_code != 0 && output->err.find("Retrying (") != std::string::npos)
            was_unanswered = true;
        return output->exit_code == 0 ? std::string() : "pip: " + last_line(output->err);
    }

    const Facts& facts_;
    std::vector<std::string> pip_;
    fs::path folder_, from_;
};

} // namespace

Result<trace::FetchedPackages> TargetPackages::fetch(const std::vector<trace::NeededPackage>& needed,
                                                     const fs::path& from, Observer& observer) {
    const Facts& facts = ground_.facts;
    auto pip = find_pip(ground_.here->facts.executable);
    if (!pip) return pass_on(pip);
    PackageStock stock = PackageStock::of_user();
    std::error_code error;
    fs::create_directories(stock.folder(), error);
    auto staging = StagingFolder::make(stock.folder(), "fetch");
    if (!staging) return pass_on(staging);
    fs::path folder = staging->path();
    Fetch fetch(facts, *pip, folder, from);
    observer.step("fetching packages", needed.size());
    std::vector<std::string> rest, failed;
    for (const trace::NeededPackage& one : needed) rest.push_back(asked_for(one));
    std::string trouble;
    // pip stops at the first that it does not find, and names it.
    while (!rest.empty()) {
        std::string said = fetch.download(rest, folder);
        if (said.empty()) break;
        if (trouble.empty()) trouble = said;
        auto named =
            std::ranges::find_if(rest, [&](const std::string& one) { return said.ends_with(" for " + one); });
        if (named == rest.end()) {
            std::erase_if(rest,
                          [&](const std::string& one) { return fetch.download({one}, folder).empty(); });
            std::ranges::move(rest, std::back_inserter(failed));
            break;
        }
        failed.push_back(std::move(*named));
        rest.erase(named);
    }
    std::erase_if(failed, [&](const std::string& one) { return fetch.build_pure(one); });
    // What another package requires may have a build of another version only that fits it, as its makers give
    // every system what it needs. That is what an installer on that system takes.
    std::erase_if(failed, [&](const std::string& name) {
        auto one = std::ranges::find(needed, name, asked_for);
        return one != needed.end() && !one->versions.empty() &&
               fetch.download({one->name + one->versions}, folder).empty();
    });
    std::vector<std::string> lacking;
    fs::path lock_file = lock_file_of(ground_.project);
    auto lock = read_lock(lock_file, facts.target);
    if (!lock) return pass_on(lock);
    trace::FetchedPackages fetched;
    std::set<std::string> brought;
    for (const fs::path& wheel : wheels_in(folder)) {
        auto name = read_wheel_name(wheel.filename().string());
        if (!name || !fits(*name, facts.minor, facts.target)) continue;
        auto digest = stock.add(wheel);
        if (!digest) return pass_on(digest);
        std::erase_if(*lock, [&](const LockedPackage& one) { return one.name == name->name; });
        lock->push_back({facts.target, fmt::format("{}.{}", facts.major, facts.minor), name->name,
                         name->version, wheel.filename().string(), *digest});
        brought.insert(name->name);
        fetched.packages.push_back({name->name, name->version, wheel.filename().string()});
    }
    for (const trace::NeededPackage& one : needed) {
        if (brought.contains(one.name)) continue;
        std::string other = one.version.empty() ? std::string() : fetch.other_version(one.name);
        (one.is_optional ? fetched.lacking : lacking)
            .push_back(asked_for(one) + (other.empty() ? "" : fmt::format(" (version {} has one)", other)));
    }
    fetched.commands = std::move(fetch.commands);
    if (!fetched.packages.empty())
        if (auto written = write_lock(lock_file, facts.target, *lock); !written) return pass_on(written);
    if (!lacking.empty() && fetch.was_unanswered)
        return fail(
            ErrorKind::missing,
            fmt::format("no answer about wheels for {} of {}", facts.target, fmt::join(lacking, ", ")),
            "the registry that pip asks", trouble,
            "try again when it answers; or put the wheels into a folder and name that with --from");
    if (!lacking.empty())
        return fail(ErrorKind::missing,
                    fmt::format("there is no wheel for {} with Python {}.{} of {}", facts.target, facts.major,
                                facts.minor, fmt::join(lacking, ", ")),
                    from.empty() ? "the registry that pip asks" : from.string(), trouble,
                    from.empty()
                        ? "install a version here that has one; or put a wheel into a folder and name that "
                          "with --from"
                        : "put the wheels into that folder");
    return fetched;
}

} // namespace omnistasis::python
