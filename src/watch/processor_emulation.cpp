// Runs an output for Linux on another processor under QEMU's emulation of user programs, in a root that holds
// that processor's host libraries. Where the kernel starts such programs by itself (binfmt_misc, as Debian's
// package sets it up), all goes as on that machine. Where it does not, a launcher can unpack its tree and not
// start what is in it: the program is started instead as the launcher would, and can start no others.
#include "native/host_libraries.h"
#include "payload/payload_contents.h"
#include "support/files.h"
#include "support/subprocess.h"
#include "support/target_info.h"
#include "support/text.h"
#include "watch/emulation.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::watch {

namespace {

constexpr const char* emulator_in_root = "/emulator";
constexpr double most_seconds_to_unpack = 300;

/// Whether the kernel starts programs of that processor with an emulator that it holds open itself.
bool kernel_starts(const std::string& runner) {
    auto text = read_text("/proc/sys/fs/binfmt_misc/" + runner);
    if (!text || !text->starts_with("enabled")) return false;
    std::size_t flags = text->find("flags:");
    return flags != std::string::npos &&
           text->substr(flags, text->find('\n', flags) - flags).find('F') != std::string::npos;
}

class ProcessorEmulation : public Emulation {
  public:
    ProcessorEmulation(const TargetInfo& target, Emulated what) : target_(target), what_(std::move(what)) {
        emulator_ = find_on_path(target.runner + "-static");
        if (emulator_.empty()) emulator_ = find_on_path(target.runner);
        auto version = run_program({emulator_, "--version"});
        constexpr std::string_view before = "version ";
        std::size_t at = version ? version->out.find(before) : std::string::npos;
        if (at != std::string::npos)
            version_ = version->out.substr(at + before.size(),
                                           version->out.find_first_of(" \n", at + before.size()) - at -
                                               before.size());
        by_kernel_ = kernel_starts(target.runner);
    }

    std::string name() const override { return target_.runner + " " + version_; }
    std::string limits() const override {
        return by_kernel_ ? "an emulator stands in for the processor"
                          : "an emulator stands in for the processor; the kernel here does not start "
                            "programs of it, so those that it starts itself fail";
    }

    Result<std::vector<std::string>> command(const std::vector<std::string>& arguments,
                                             IsolationOptions& options) override {
        if (auto set = set_up(options); !set) return pass_on(set);
        if (!by_kernel_)
            if (auto started = start_instead(options); !started) return pass_on(started);
        std::vector<std::string> all;
        for (const std::string& one : arguments_)
            if (one == "{arguments}")
                all.insert(all.end(), arguments.begin(), arguments.end());
            else
                all.push_back(one);
        if (options.instead.empty()) all = arguments;
        return isolated_command(what_.output, what_.program, all, *what_.host, options);
    }

    Result<std::vector<std::string>> source_command(const trace::SourceRun& run,
                                                    IsolationOptions& options) override {
        if (auto set = set_up(options); !set) return pass_on(set);
        // The runtime's own tree has libraries that no user's system needs to have.
        bool has_own = false;
        for (const fs::path& folder : options.library_folders) {
            std::string at;
            for (const std::string& place : omnistasis::library_folders(target_))
                if (folder.string().ends_with(place) && place.size() > at.size()) at = place;
            if (!at.empty() && is_folder(folder)) options.shown.emplace_back(folder, at), has_own = true;
        }
        // A runtime without a system around it gets what a cross compiler has.
        std::string first = omnistasis::library_folders(target_).front();
        if (!has_own) options.shown.emplace_back(options.library_folders.back(), first);
        for (const auto& [name, value] : run.variables) options.variables[name] = value;
        options.instead = run.command.front();
        return isolated_command(what_.output, what_.program, {run.command.begin() + 1, run.command.end()},
                                *what_.host, options);
    }

    std::string first_program() const override { return by_kernel_ ? "/opt/" : emulator_in_root; }

    std::string tree(const IsolationOptions& options) const override {
        if (is_folder(what_.output)) return fmt::format("/opt/{}/tree", what_.output.filename().string());
        for (const char* trees : {".cache/omnistasis", ".local/share/omnistasis"})
            if (std::string one = unpacked_tree(options.home / trees); !one.empty())
                return fmt::format("{}/{}/{}", isolated_home, trees, one);
        return {};
    }

  private:
    /// The target's libraries, and what runs its programs.
    Result<void> set_up(IsolationOptions& options) const {
        options.library_folders = library_folders();
        if (options.library_folders.empty())
            return fail(ErrorKind::missing,
                        fmt::format("the system's libraries for {} are not here", target_.name), "",
                        fmt::format("there is no {} for it in any folder of libraries", target_.loader),
                        fmt::format("install the package libc6-{}-cross, or add a whole tree of that system "
                                    "with `omnistasis runtimes add`",
                                    target_.short_processor));
        if (by_kernel_) return {};
        options.in_front = {emulator_in_root};
        options.shown.emplace_back(real_path(emulator_), emulator_in_root);
        return {};
    }

    /// Where this machine has the libraries of that system.
    std::vector<fs::path> library_folders() const {
        std::vector<fs::path> folders;
        auto add = [&](const fs::path& folder) {
            if (is_there(folder / target_.loader)) folders.push_back(folder);
        };
        if (what_.libraries != nullptr)
            if (std::string found = what_.libraries->library_for(target_.loader, ""); !found.empty()) {
                folders.push_back(parent_folder_of(found));
                // Of a whole tree the folders beside have the rest.
                std::string root = folders.front().string();
                std::vector<std::string> known = omnistasis::library_folders(target_);
                known.push_back(target_.loader_folder);
                std::ranges::stable_sort(known, std::greater<>(), &std::string::size);
                for (const std::string& one : known)
                    if (root.ends_with(one)) {
                        root.resize(root.size() - one.size());
                        break;
                    }
                for (const std::string& one : known) folders.emplace_back(root + one);
            }
        for (const std::string& folder : omnistasis::library_folders(target_)) add(folder);
        add("/usr/" + target_.library_folder + "/lib"); // of a cross compiler
        return folders;
    }

    /// Has the launcher unpack its tree, and finds out what it would start.
    Result<void> start_instead(IsolationOptions& options) {
        fs::path executable = is_folder(what_.output) ? what_.output / what_.program : what_.output;
        auto contents = payload::PayloadContents::open(executable);
        if (!contents) return pass_on(contents);
        if (!is_folder(what_.output)) {
            RunLimits limits;
            limits.seconds = most_seconds_to_unpack;
            auto run = run_program(isolated_command(what_.output, what_.program, {}, *what_.host, options),
                                   "", limits);
            if (!run) return pass_on(run);
        }
        std::string tree = this->tree(options);
        if (tree.empty())
            return fail(ErrorKind::refused, "the launcher did not unpack its tree", executable.string(),
                        "nothing is below ~/.cache/omnistasis in its root",
                        "see what it says on that system");
        const payload::Description& said = contents->description();
        std::string self = "/opt/" + what_.output.filename().string();
        auto filled = [&](std::string text) {
            replace_all(text, "{tree}", tree);
            replace_all(text, "{self}", self);
            return text;
        };
        std::vector<std::string> words;
        each_part(said.start, '\0',
                  [&](std::string_view word) { words.push_back(filled(std::string(word))); });
        if (words.empty()) return {};
        options.instead = tree + "/" + words.front();
        arguments_.assign(words.begin() + 1, words.end());
        for (const auto& [name, value] : said.set_variables) options.variables[name] = filled(value);
        return {};
    }

    const TargetInfo& target_;
    Emulated what_;
    std::string emulator_, version_;
    bool by_kernel_ = false;
    std::vector<std::string> arguments_;
};

} // namespace

std::unique_ptr<Emulation> processor_emulation(const std::string& target, Emulated what) {
    return std::make_unique<ProcessorEmulation>(*find_target(target), std::move(what));
}

} // namespace omnistasis::watch
