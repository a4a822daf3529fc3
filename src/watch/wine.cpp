// Runs an output for Windows under Wine, in a prefix of its own that holds the output and nothing of this
// machine: no drive leads to its files. The part of a prefix that is the same for all, which takes seconds to
// make, is kept in the user's cache and shown read-only; each run has its own registry, users and C:\ beside.
// Wine finds files by system calls, so what the program looks for is in the same log as a Linux program's.
#include "support/confinement.h"
#include "support/files.h"
#include "support/letter_case.h"
#include "support/target_info.h"
#include "support/user_cache.h"
#include "watch/emulation.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis::watch {

namespace {

constexpr const char* prefix_in_root = "/prefix";
/// Folders of C:\ as a run of this system would have them.
struct Drive {
    const char* folder;
    const char* shown_as;
};
constexpr std::array<Drive, 5> drives{{{"users/user", isolated_home},
                                       {"work", isolated_work},
                                       {"tmp", "/tmp"},
                                       {"program", "/opt"},
                                       {"source", "/source"}}};
/// Parts of C:\ that are the same for all runs.
constexpr std::array<const char*, 4> shared_parts{"windows", "Program Files", "Program Files (x86)",
                                                  "ProgramData"};
constexpr const char* system_fonts = "/usr/share/fonts";
constexpr double most_seconds_to_prepare = 300;

/// What prepares a prefix: it says that it is Windows 10, and its folders of a user lead nowhere else.
constexpr const char* preparation =
    "set -e; wineboot -i; wine reg add 'HKCU\\Software\\Wine' /v Version /d win10 /f; "
    "wine reg import 'C:\\fonts.reg'; wineserver -w; rm /prefix/drive_c/fonts.reg; "
    "rm -f /prefix/dosdevices/z:; cd /prefix/drive_c/users/user; "
    "for link in *; do if [ -L \"$link\" ]; then rm \"$link\"; mkdir \"$link\"; fi; done; "
    "mkdir -p AppData/Local AppData/Roaming /prefix/drive_c/work /prefix/drive_c/tmp /prefix/drive_c/program";

std::map<std::string, std::string> wine_variables() {
    return {{"WINEPREFIX", prefix_in_root},
            // Only which libraries it does not find.
            {"WINEDEBUG", "-all,err+module"},
            // No debugger's box, no search for parts that Wine would fetch.
            {"WINEDLLOVERRIDES", "winedbg.exe,mscoree,mshtml,wbemprox=d"},
            {"HOME", isolated_home},
            {"USER", "user"},
            {"LANG", "C.UTF-8"},
            {"PATH", "/usr/bin:/bin"},
            // Where Wine's own temporary files are; the program's are told by its registry.
            {"TMPDIR", "/tmp"}};
}

class Wine : public Emulation {
  public:
    explicit Wine(Emulated what) : what_(std::move(what)) {
        auto version = run_program({"wine", "--version"});
        std::string text = version ? version->out.substr(0, version->out.find_first_of(" \n")) : "";
        version_ = text.starts_with("wine-") ? text.substr(5) : text;
    }

    std::string name() const override { return "Wine " + version_; }
    std::string limits() const override { return "Wine stands in for Windows, and is not Windows itself"; }

    Result<std::vector<std::string>> command(const std::vector<std::string>& arguments,
                                             IsolationOptions& options) override {
        std::string file = what_.output.filename().string();
        options.shown.emplace_back(fs::absolute(what_.output), "/opt/" + file);
        std::vector<std::string> words{
            spoken("/opt/" + (is_folder(what_.output) ? file + "/" + what_.program : file))};
        words.insert(words.end(), arguments.begin(), arguments.end());
        return in_prefix(words, options);
    }

    Result<std::vector<std::string>> source_command(const trace::SourceRun& run,
                                                    IsolationOptions& options) override {
        for (const auto& [name, value] : run.variables) options.variables[name] = value;
        return in_prefix(run.command, options);
    }

    std::string spoken(const std::string& path) const override {
        for (const Drive& drive : drives) {
            std::string_view place = drive.shown_as, rest = path;
            if (rest != place && !rest.starts_with(std::string(place) + "/")) continue;
            std::string said = "C:/" + std::string(drive.folder) + std::string(rest.substr(place.size()));
            std::ranges::replace(said, '/', '\\');
            return said;
        }
        return path;
    }
    char between_paths() const override { return ';'; }

    std::string first_program() const override { return {}; }

    Calls translated(Calls calls) const override {
        Calls there;
        there.started = true;
        for (auto [from, to] : {std::pair(&calls.opened, &there.opened),
                                {&calls.written, &there.written},
                                {&calls.missing, &there.missing}})
            for (const std::string& path : *from)
                if (std::string shown = shown_as(path); !shown.empty())
                    to->insert(with_asker(std::move(shown)));
        return there;
    }

    std::vector<std::string> lacking(std::string& err) const override {
        // 0024:err:module:import_dll Library NAME (which is needed by L"C:\\...") not found
        // wine: Call from 0x... to unimplemented function NAME.dll.FUNCTION, aborting
        constexpr std::string_view library = ":err:module:import_dll Library ",
                                   function = "to unimplemented function ";
        std::vector<std::string> names;
        std::string rest;
        for (std::size_t at = 0; at < err.size();) {
            std::size_t end = std::min(err.find('\n', at), err.size() - 1) + 1;
            std::string_view line = std::string_view(err).substr(at, end - at);
            at = end;
            bool is_own = line.find(":err:module:") == 4 || line.starts_with("wine: ");
            for (std::string_view start : {library, function})
                if (std::size_t found = line.find(start); is_own && found != std::string_view::npos) {
                    line.remove_prefix(found + start.size());
                    names.push_back(lower_case(std::string(line.substr(0, line.find_first_of(" ,\r\n")))));
                    break;
                }
            if (!is_own) rest += line;
        }
        err = std::move(rest);
        std::ranges::sort(names);
        names.erase(std::unique(names.begin(), names.end()), names.end());
        return names;
    }

    std::string tree(const IsolationOptions& options) const override {
        if (is_folder(what_.output)) return fmt::format("/opt/{}/tree", what_.output.filename().string());
        std::string trees = "AppData/Local/omnistasis";
        std::string one = unpacked_tree(options.home / trees);
        return one.empty() ? one : fmt::format("{}/{}/{}", isolated_home, trees, one);
    }

  private:
    /// The command that runs a program of Windows in a new prefix.
    Result<std::vector<std::string>> in_prefix(const std::vector<std::string>& words,
                                               const IsolationOptions& options) {
        auto base = prepared();
        if (!base) return pass_on(base);
        fs::path prefix = what_.scratch / fmt::format("prefix-{}", ++prefixes_);
        std::error_code failed;
        fs::create_directories(prefix / "drive_c", failed);
        fs::create_directories(prefix / "dosdevices", failed);
        fs::create_directory_symlink("../drive_c", prefix / "dosdevices/c:", failed);
        for (const FolderEntry& entry : list_folder(*base))
            if (!entry.is_folder) fs::copy_file(*base / entry.name, prefix / entry.name, failed);
        constexpr auto whole = fs::copy_options::recursive | fs::copy_options::copy_symlinks;
        fs::copy(*base / "drive_c/users", prefix / "drive_c/users", whole, failed);
        if (!failed)
            fs::copy(*base / "drive_c/users/user", options.home, whole | fs::copy_options::overwrite_existing,
                     failed);
        if (failed)
            return fail(ErrorKind::unwritable, "can't make a prefix for Wine", prefix.string(),
                        failed.message());
        auto command = in_root(prefix, options.network);
        auto add = [&](std::initializer_list<std::string> words) {
            command.insert(command.end(), words.begin(), words.end());
        };
        std::string drive = std::string(prefix_in_root) + "/drive_c/";
        for (const char* part : shared_parts)
            if (is_folder(*base / "drive_c" / part))
                add({"--ro-bind", (*base / "drive_c" / part).string(), drive + part});
        add({"--tmpfs", drive + "windows/temp"});
        add({"--bind", options.home.string(), drive + "users/user", "--bind", options.work.string(),
             drive + "work", "--bind", options.temporary.string(), drive + "tmp"});
        for (const auto& [from, to] : options.shown) add({"--ro-bind", from.string(), on_drive(to)});
        for (const auto& [from, to] : options.lent) add({"--bind", from.string(), on_drive(to)});
        auto variables = wine_variables();
        variables["TEMP"] = variables["TMP"] = "C:\\tmp";
        for (const auto& [name, value] : options.variables) variables[name] = value;
        for (const auto& [name, value] : variables) add({"--setenv", name, value});
        add({"--chdir", drive + "work", "wine"});
        command.insert(command.end(), words.begin(), words.end());
        return command;
    }

    /// Where the output and the source of a root lie in the prefix; other places, as a display's socket, are
    /// Wine's own.
    static std::string on_drive(const std::string& place) {
        for (const Drive& drive : drives)
            if (std::string_view of = drive.shown_as;
                (of == "/opt" || of == "/source") && place.starts_with(std::string(of) + "/"))
                return fmt::format("{}/drive_c/{}{}", prefix_in_root, drive.folder, place.substr(of.size()));
        return place;
    }

    /// Has this machine's fonts where Windows has its own, and lists them as there: else Wine tells programs
    /// that they lie on a drive, and there is none that leads there.
    static Result<void> show_fonts(const fs::path& prefix) {
        fs::path fonts = prefix / "drive_c/windows/Fonts";
        std::error_code failed;
        fs::create_directories(fonts, failed);
        std::string list =
            "REGEDIT4\n\n[HKEY_LOCAL_MACHINE\\Software\\Microsoft\\Windows NT\\CurrentVersion\\Fonts]\n";
        each_entry_below(system_fonts, [&](const fs::directory_entry& entry) {
            std::string ending = lower_case(entry.path().extension().string());
            bool is_font = ending == ".ttf" || ending == ".ttc" || ending == ".otf";
            if (!is_font) return;
            fs::create_symlink(entry.path(), fonts / entry.path().filename(), failed);
            list += fmt::format("\"{} (TrueType)\"=\"{}\"\n", entry.path().stem().string(),
                                entry.path().filename().string());
        });
        return write_atomically(prefix / "drive_c/fonts.reg", list, 0644);
    }

    /// Puts libraries of Windows that this Wine does not have into a prefix. And takes the colour profile of
    /// displays out: Wine lacks the function that toolkits hand it to, and ends programs that call one.
    void complete(const fs::path& prefix) const {
        fs::path folder = prefix / "drive_c/windows/system32";
        std::error_code failed;
        fs::remove_all(folder / "spool/drivers/color", failed);
        for (const FolderEntry& entry : list_folder(what_.data / "wine"))
            if (!entry.is_folder && !is_there(folder / entry.name))
                fs::copy_file(what_.data / "wine" / entry.name, folder / entry.name, failed);
    }

    /// "TREE/.absent/MODULE;PLACE!PLACE;LINE" as other systems have it (docs/proof.md).
    static std::string with_asker(std::string path) {
        std::size_t absent = path.find("/.absent/");
        if (absent == std::string::npos) return path;
        std::size_t asker = path.find(';', absent);
        if (asker == std::string::npos) return path;
        std::string place = path.substr(asker + 1);
        std::ranges::replace(place, '!', '/');
        std::ranges::replace(place, ';', ':');
        return fmt::format("{}:{}/{}", path.substr(0, asker), path.substr(0, absent), place);
    }

    /// A path of the log as one of a root of this system; empty for what is Wine's own.
    std::string shown_as(const std::string& path) const {
        if (is_library_name(base_name(path))) return {}; // looked for by Wine's own libraries
        std::string_view rest = path;
        for (std::string_view start : {"/prefix/dosdevices/c:/", "/prefix/drive_c/"}) {
            if (!rest.starts_with(start)) continue;
            rest.remove_prefix(start.size());
            for (const Drive& drive : drives)
                if (rest.starts_with(std::string(drive.folder) + "/"))
                    return drive.shown_as + std::string(rest.substr(std::string_view(drive.folder).size()));
            // Libraries of the system; Wine's own programs beside load others.
            std::string name = lower_case(base_name(std::string(rest)));
            bool is_library =
                name.ends_with(".dll") && lower_case(std::string(rest)).starts_with("windows/system32/");
            return is_library && what_.host->find(name) != nullptr ? "/windows/" + name : std::string();
        }
        return {};
    }

    /// The start of a command in a root with this system's programs and a prefix.
    static std::vector<std::string> in_root(const fs::path& prefix, bool network) {
        std::vector<std::string> command{confining_program, "--unshare-all", "--die-with-parent",
                                         "--clearenv",      "--proc",        "/proc",
                                         "--dev",           "/dev"};
        auto add = [&](std::initializer_list<std::string> words) {
            command.insert(command.end(), words.begin(), words.end());
        };
        if (network) add({"--share-net"});
        for (const char* folder : {"/usr", "/etc/fonts", "/etc/ld.so.cache", "/etc/alternatives", "/etc/ssl",
                                   "/etc/resolv.conf", "/etc/hosts", "/etc/nsswitch.conf", "/etc/localtime"})
            add({"--ro-bind-try", folder, folder});
        for (const char* folder : {"/lib", "/lib64", "/bin", "/sbin"}) {
            std::error_code failed;
            if (fs::is_symlink(folder, failed))
                add({"--symlink", fs::read_symlink(folder, failed).string(), folder});
            else
                add({"--ro-bind-try", folder, folder});
        }
        // Wine names the user by this.
        add({"--ro-bind", (prefix.parent_path() / "passwd").string(), "/etc/passwd"});
        add({"--tmpfs", "/tmp", "--tmpfs", isolated_home, "--bind", prefix.string(), prefix_in_root});
        return command;
    }

    static Result<void> write_passwd(const fs::path& folder) {
        std::string text = fmt::format("user:x:{}:{}::{}:/bin/sh\n", ::getuid(), ::getgid(), isolated_home);
        return write_atomically(folder / "passwd", text, 0644);
    }

    /// The prefix that all runs share, made where it is not there yet.
    Result<fs::path> prepared() const {
        if (auto written = write_passwd(what_.scratch); !written) return pass_on(written);
        fs::path cache = user_cache_folder("wine");
        if (cache.empty()) cache = what_.scratch;
        constexpr std::string_view layout = "2"; // of what is in it
        fs::path ready = cache / fmt::format("prefix-{}-{}", version_, layout);
        if (is_file(ready / "system.reg")) {
            complete(ready);
            return ready;
        }
        auto staging = StagingFolder::make(cache, "prefix");
        if (!staging) return pass_on(staging);
        fs::path made = staging->path() / "prefix";
        std::error_code failed;
        if (auto shown = show_fonts(made); !shown) return pass_on(shown);
        if (auto written = write_passwd(staging->path()); !written) return pass_on(written);
        auto command = in_root(made, false);
        for (const auto& [name, value] : wine_variables())
            command.insert(command.end(), {"--setenv", name, value});
        command.insert(command.end(), {"sh", "-c", preparation});
        RunLimits limits;
        limits.seconds = most_seconds_to_prepare;
        auto done = run_program(command, "", limits);
        if (!done) return pass_on(done);
        if (done->exit_code != 0 || !is_file(made / "system.reg"))
            return fail(ErrorKind::missing, "Wine can't be prepared", made.string(),
                        done->timed_out ? "it did not end in time" : done->err.substr(0, 400),
                        "see whether `wineboot` works here");
        complete(made);
        fs::rename(made, ready, failed);
        // Somebody else was faster.
        if (failed && !is_file(ready / "system.reg"))
            return fail(ErrorKind::unwritable, "can't keep the prefix for Wine", ready.string(),
                        failed.message());
        return ready;
    }

    Emulated what_;
    std::string version_;
    int prefixes_ = 0; ///< made for runs
};

} // namespace

std::unique_ptr<Emulation> wine_emulation(Emulated what) { return std::make_unique<Wine>(std::move(what)); }

} // namespace omnistasis::watch
