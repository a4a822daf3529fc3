#include "build/builder.h"

#include "build/output_place.h"
#include "native/elf_reader.h"
#include "native/elf_rewriter.h"
#include "native/elf_stripper.h"
#include "payload/payload_writer.h"
#include "plan/plan.h"
#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <mutex>
#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>
#include <optional>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis::build {

namespace {

using payload::TreeFile;

constexpr const char* tree_folder = "tree";

int compression_level(Compression compression) {
    switch (compression) {
    case Compression::fast:
        return 3;
    case Compression::balanced:
        return 12;
    case Compression::small:
        return 19;
    }
    return 12;
}

std::string start_text(const trace::Start& start) {
    std::string text = start.program + '\0';
    for (const std::string& argument : start.arguments) text += argument + '\0';
    return text;
}

class Builder {
  public:
    Builder(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
            const native::HostLibraries& host, Store& store, const Installation& installation, unsigned jobs,
            Observer& observer)
        : project_(project), runtime_(runtime), graph_(graph), host_(host), store_(store),
          installation_(installation), jobs_(jobs), observer_(observer) {}

    Result<BuildResult> run() {
        result_.target = project_.targets.front();
        result_.runtime = runtime_.title();
        auto launcher = read_text(installation_.launcher(result_.target));
        if (!launcher)
            return fail(ErrorKind::missing, fmt::format("there is no launcher for {}", result_.target),
                        installation_.launcher(result_.target), launcher.error().why,
                        "install Omnistasis anew");
        launcher_ = std::move(*launcher);
        fs::path folder = project_.output_folder(result_.target);
        auto place = OutputPlace::prepare(folder, project_.name);
        if (!place) return tl::make_unexpected(place.error());
        auto staging = StagingFolder::make(folder, project_.name);
        if (!staging) return tl::make_unexpected(staging.error());

        if (auto done = fill_tree(); !done) return tl::make_unexpected(done.error());
        count();
        fs::path made = staging->path() / project_.name;
        auto done = project_.layout == Layout::single ? write_single(made) : write_folder(made);
        if (!done) return tl::make_unexpected(done.error());
        if (auto put = place->put(made); !put) return tl::make_unexpected(put.error());
        result_.output = place->output();
        if (project_.layout == Layout::folder) {
            result_.output_folder = place->output();
            result_.output = place->output() / project_.name;
        }
        return std::move(result_);
    }

  private:
    payload::Description description(const trace::Start& start, const std::string& folder) const {
        bool is_inner = folder.starts_with("..");
        return {project_.name,
                project_.version,
                start_text(start),
                project_.mode == Mode::window,
                project_.starts_in_own_folder() && !is_inner ? runtime_.application_place() : "",
                folder,
                loader_};
    }

    std::string launcher_with(const trace::Start& start, const std::string& folder) const {
        std::string content = launcher_;
        content.resize((content.size() + 15) / 16 * 16, '\0');
        return content + payload::folder_payload(description(start, folder), content.size());
    }

    Result<void> fill_tree() {
        plan::Plan plan = plan::make_plan(graph_, host_);
        if (auto done = take_loader(plan); !done) return done;
        auto made = runtime_.make_files(plan.code, jobs_, observer_);
        if (!made) return tl::make_unexpected(made.error());
        for (trace::MadeFile& file : *made) {
            tree_.push_back({file.place, file.mode, std::move(file.content), {}});
        }
        for (const trace::InnerLauncher& inner : runtime_.inner_launchers()) {
            tree_.push_back({inner.place, 0755, launcher_with(inner.start, ".."), {}});
        }
        // The folder that the application starts in may hold nothing but modules, which are elsewhere.
        if (project_.starts_in_own_folder()) {
            tree_.push_back({runtime_.application_place() + "/.folder", 0644, "", {}});
        }
        observer_.step("linking", plan.files.size());
        std::size_t first = tree_.size();
        tree_.resize(first + plan.files.size());
        std::mutex mutex;
        std::optional<Error> failed;
        oneapi::tbb::parallel_for(std::size_t(0), plan.files.size(), [&](std::size_t i) {
            const plan::PlannedFile& file = plan.files[i];
            TreeFile& out = tree_[first + i];
            out.place = file.place;
            struct stat status {};
            bool executable = file.executable ||
                              (::stat(file.source.c_str(), &status) == 0 && (status.st_mode & 0111) != 0);
            out.mode = executable ? 0755 : 0644;
            auto saved = treat(file, out);
            std::lock_guard lock(mutex);
            if (!saved) {
                failed = saved.error();
            } else if (*saved > 0) {
                ++result_.stripped_files;
                result_.stripped_bytes += *saved;
            }
            observer_.advance(1);
        });
        if (failed) return tl::make_unexpected(*failed);
        return {};
    }

    /// With a C library in the tree all its programs are started by a launcher, with the tree's own loader.
    Result<void> take_loader(plan::Plan& plan) {
        if (!host_.c_library().carried) return {};
        const std::string& name = host_.c_library().loader;
        auto loader = std::ranges::find_if(plan.files, [&](const plan::PlannedFile& file) {
            return fs::path(file.place).filename() == name;
        });
        if (loader == plan.files.end())
            return fail(ErrorKind::missing, "the C library can't be carried", name,
                        "the dynamic loader is not among the libraries that the runtime needs",
                        "take carry_libc out of the project, or a runtime that is linked with glibc");
        loader->executable = true;
        loader_ = loader->place;
        for (plan::PlannedFile& file : plan.files) {
            if (graph_.units[file.unit].kind != trace::UnitKind::program || is_start(file.place)) continue;
            trace::Start start{file.place + ".program", {"{arguments}"}};
            tree_.push_back({file.place, 0755, launcher_with(start, way_to_tree(file.place)), {}});
            file.place = start.program;
        }
        return {};
    }

    bool is_start(const std::string& place) const {
        return runtime_.start().program == place ||
               std::ranges::any_of(runtime_.inner_launchers(), [&](const trace::InnerLauncher& inner) {
                   return inner.start.program == place;
               });
    }

    static std::string way_to_tree(const std::string& place) {
        std::string way;
        for (char c : place)
            if (c == '/') way += way.empty() ? ".." : "/..";
        return way.empty() ? "." : way;
    }

    /// Gives the bytes that were saved.
    Result<std::uint64_t> treat(const plan::PlannedFile& file, TreeFile& out) const {
        out.source = file.source;
        bool is_native = trace::is_native(graph_.units[file.unit].kind);
        bool relinks = file.treatment == plan::Treatment::relink;
        if (!is_native || (!relinks && !project_.drop_debug_symbols)) return 0;
        auto mapped = MappedFile::open(file.source);
        if (!mapped) return tl::make_unexpected(mapped.error());
        ByteSpan content = mapped->bytes();
        Bytes changed;
        if (project_.drop_debug_symbols) {
            auto without = native::without_debug_symbols(content, file.source);
            if (!without) return tl::make_unexpected(without.error());
            changed = std::move(*without);
            content = changed;
        }
        std::uint64_t saved = mapped->bytes().size() - content.size();
        auto elf = native::read_elf(content, file.source);
        if (!elf) return tl::make_unexpected(elf.error());
        bool has_path = elf->rpath.has_value() || elf->runpath.has_value();
        if (relinks && (!file.search_path.empty() || has_path)) {
            auto relinked = native::with_search_path(
                content, file.search_path.empty() ? "$ORIGIN" : file.search_path, file.source);
            if (!relinked) return tl::make_unexpected(relinked.error());
            changed = std::move(*relinked);
        } else if (saved == 0) {
            return 0;
        }
        out.content.assign(reinterpret_cast<const char*>(changed.data()), changed.size());
        out.source.clear();
        return saved;
    }

    void count() {
        for (const TreeFile& file : tree_)
            result_.tree_size += file.source.empty() ? file.content.size() : fs::file_size(file.source);
        result_.tree_files = tree_.size();
        for (const trace::Unit& unit : graph_.units) {
            result_.modules += unit.kind == trace::UnitKind::code || unit.kind == trace::UnitKind::extension;
            result_.libraries += unit.kind == trace::UnitKind::native;
            result_.data_files += unit.kind == trace::UnitKind::data;
        }
        result_.largest = plan::largest_contributions(graph_, 10);
    }

    Result<void> write_single(const fs::path& file) {
        if (auto done = write_new(file, as_bytes(launcher_), 0755); !done) return done;
        auto sizes = payload::append_payload(file, std::move(tree_), description(runtime_.start(), ""),
                                             compression_level(project_.compression), store_, observer_);
        if (!sizes) return tl::make_unexpected(sizes.error());
        result_.size = fs::file_size(file);
        return {};
    }

    Result<void> write_folder(const fs::path& folder) {
        observer_.step("writing", tree_.size());
        std::string launcher = launcher_with(runtime_.start(), tree_folder);
        std::error_code failed;
        fs::create_directories(folder / tree_folder, failed);
        if (failed) return fail(ErrorKind::missing, "can't make the folder", folder, failed.message());
        if (auto done = write_new(folder / project_.name, as_bytes(launcher), 0755); !done) return done;
        result_.size = launcher.size();
        for (const TreeFile& file : tree_) {
            fs::path to = folder / tree_folder / file.place;
            fs::create_directories(to.parent_path(), failed);
            std::optional<MappedFile> source;
            if (!file.source.empty()) {
                auto mapped = MappedFile::open(file.source);
                if (!mapped) return tl::make_unexpected(mapped.error());
                source = std::move(*mapped);
            }
            ByteSpan content = source ? source->bytes() : as_bytes(file.content);
            if (auto done = write_new(to, content, file.mode); !done) return done;
            result_.size += content.size();
            observer_.advance(1);
        }
        return {};
    }

    const Project& project_;
    trace::Runtime& runtime_;
    const trace::Graph& graph_;
    const native::HostLibraries& host_;
    Store& store_;
    const Installation& installation_;
    unsigned jobs_;
    Observer& observer_;
    std::string launcher_;
    std::string loader_; ///< the tree's own; its place
    std::vector<TreeFile> tree_;
    BuildResult result_;
};

} // namespace

Result<Installation> Installation::find() {
    std::error_code failed;
    fs::path program = fs::read_symlink("/proc/self/exe", failed);
    fs::path prefix = program.parent_path().parent_path();
    Installation found{prefix / "share/omnistasis", prefix / "lib/omnistasis"};
    if (!fs::is_directory(found.data, failed) || !fs::is_directory(found.launchers, failed))
        return fail(ErrorKind::missing, "parts of Omnistasis are missing", prefix,
                    "share/omnistasis or lib/omnistasis is not there", "install Omnistasis anew");
    return found;
}

Result<BuildResult> build(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
                          const native::HostLibraries& host, Store& store, const Installation& installation,
                          unsigned jobs, Observer& observer) {
    oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, jobs);
    return Builder(project, runtime, graph, host, store, installation, jobs, observer).run();
}

} // namespace omnistasis::build
