#include "build/builder.h"

#include "build/output_place.h"
#include "build/treated_files.h"
#include "dress/platform.h"
#include "payload/launcher_slots.h"
#include "payload/parts.h"
#include "payload/payload_writer.h"
#include "payload/signing_key.h"
#include "plan/plan.h"
#include "project/assets.h"
#include "support/file_hash.h"
#include "support/files.h"
#include "support/first_failure.h"
#include "support/own_program.h"
#include "support/zip_packing.h"

#include <algorithm>
#include <fmt/format.h>
#include <future>
#include <map>
#include <mutex>
#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>
#include <optional>
#include <sys/stat.h>
#include <unistd.h>
#include <unordered_map>

namespace omnistasis::build {

namespace {

using payload::TreeFile;

// The groups in the sums of sizes.
constexpr const char* group_code = "code";
constexpr const char* group_native = "native files";
constexpr const char* group_data = "data";

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
            const review::Review& review, const native::HostLibraries& host, Store& store,
            const Installation& installation, unsigned jobs, Observer& observer)
        : project_(project), runtime_(runtime), graph_(graph), review_(review), host_(host), store_(store),
          installation_(installation), jobs_(jobs), observer_(observer),
          platform_(dress::platform_of(project.targets.front())) {}

    Result<BuildResult> run() {
        result_.target = project_.targets.front();
        result_.runtime = runtime_.title();
        shape_ = platform_.shape(project_);
        if (auto right = platform_.check(project_); !right) return pass_on(right);
        if (!project_.icon.empty()) {
            auto opened = dress::IconPictures::open(project_.folder / project_.icon, installation_.launchers,
                                                    platform_.icon_edges(), &store_);
            if (!opened) return pass_on(opened);
            result_.remarks = dress::icon_remarks(opened->facts(), platform_.icon_edges().back());
            icon_.emplace(std::move(*opened));
        }
        if (auto read = read_launchers(); !read) return pass_on(read);
        fs::path folder = project_.output_folder(result_.target);
        std::string output = shape_.output + (shape_.is_archive ? ".zip" : "");
        auto place = OutputPlace::prepare(folder, output);
        if (!place) return pass_on(place);
        auto staging = StagingFolder::make(folder, project_.name);
        if (!staging) return pass_on(staging);

        // What asks for the graph alone is made while the interpreter compiles.
        auto of_graph = std::async(std::launch::async, [this] {
            result_.largest = plan::largest_contributions(graph_, 10);
            return review::notice_text(review_.components, project_.title);
        });
        if (auto done = fill_tree(); !done) return pass_on(done);
        tree_.push_back({review::notice_place, 0644, of_graph.get()});
        // Hash the other files while the module store, the largest of all, is written.
        auto hashing = std::async(std::launch::async, [this] {
            for (TreeFile& file : tree_)
                if (file.source.empty()) file.hash = sha256(file.content);
        });
        for (const TreeFile& file : tree_)
            if (std::string why = why_no_place(file.place); !why.empty())
                return fail(ErrorKind::bad_input, "a path of the application can't be one in the output",
                            file.source.empty() ? file.place.substr(0, 200) : file.source.string(), why,
                            "give the file a shorter name, or leave it out");
        for (TreeFile& file : tree_)
            if (file.group.empty()) file.group = file.source.empty() ? group_code : group_data;
        if (const TargetInfo* info = find_target(result_.target); info != nullptr && info->relative_calls)
            for (TreeFile& file : tree_) file.is_code = file.group == group_native;
        count();
        list_parts();
        hashing.get();
        if (auto done = write_start(staging->path()); !done) return pass_on(done);
        if (!shape_.tree.empty())
            if (auto done = write_tree(staging->path()); !done) return pass_on(done);
        auto each_file = [this](const auto& take) {
            for (const TreeFile& file : tree_)
                if (auto content = payload::TreeContent::of(file, store_))
                    if (auto bytes = content->bytes()) take(file.place, *bytes);
        };
        auto dressed = platform_.finish(staging->path(), project_, icon(), icon_file(), each_file);
        if (!dressed) return pass_on(dressed);
        if (shape_.is_archive) {
            observer_.step("packing", 0);
            if (auto packed = pack_zip(staging->path(), shape_.output, staging->path() / output, store_);
                !packed)
                return pass_on(packed);
            std::error_code ignored;
            result_.size = fs::file_size(staging->path() / output, ignored);
        }
        if (auto put = place->put(staging->path() / output); !put) return pass_on(put);
        result_.output = place->output();
        if (!shape_.tree.empty() && !shape_.is_archive) {
            result_.output_folder = place->output();
            result_.output = folder / shape_.executable;
        }
        return std::move(result_);
    }

  private:
    const dress::IconPictures* icon() const { return icon_ ? &*icon_ : nullptr; }

    /// Large pictures take their time to compress.
    std::string icon_file() const {
        if (!icon_) return {};
        auto hash = icon_hash(project_, store_);
        std::string key = hash ? Store::key_of(fmt::format("icon file {} {} {}", own_program_stamp(),
                                                           result_.target, hex(*hash)))
                               : "";
        if (auto kept = key.empty() ? std::nullopt : store_.find(key)) return std::move(*kept);
        std::string made = platform_.icon_file(*icon_);
        if (!key.empty()) store_.keep(key, made);
        return made;
    }

    Result<void> read_launchers() {
        auto read = [&](bool is_signed) -> Result<std::string> {
            fs::path file = installation_.launcher(result_.target, is_signed);
            auto launcher = read_text(file);
            if (launcher) return launcher;
            return fail(ErrorKind::missing, fmt::format("there is no launcher for {}", result_.target), file,
                        launcher.error().why, "install Omnistasis anew");
        };
        auto launcher = read(false);
        if (!launcher) return pass_on(launcher);
        launcher_ = *launcher;
        if (!project_.signing_key.empty()) {
            if (!shape_.tree.empty())
                return fail(ErrorKind::bad_input, "a folder can't be signed", "output.sign or --sign",
                            "what lies beside the program can be changed after it was checked",
                            "build one file with --form file, or leave the key out");
            auto key = payload::SigningKey::read(project_.folder / project_.signing_key);
            if (!key) return pass_on(key);
            key_ = std::move(*key);
            launcher = read(true);
            if (launcher) launcher = payload::with_public_key(std::move(*launcher), key_->public_key());
        }
        if (launcher && project_.mode == Mode::window)
            launcher = payload::with_window_mode(std::move(*launcher));
        if (launcher) launcher = platform_.dressed(std::move(*launcher), project_, icon());
        if (!launcher) return pass_on(launcher);
        front_launcher_ = std::move(*launcher);
        return {};
    }

    payload::Description description(const trace::Start& start, const std::string& folder) const {
        payload::Description said;
        said.name = project_.name;
        said.version = project_.version;
        said.start = start_text(start);
        said.kept_variables = start.kept_variables;
        said.set_variables = start.set_variables;
        said.window = project_.mode == Mode::window;
        said.tree_folder = folder;
        said.loader = loader_;
        return said;
    }

    /// What the launcher in front of the tree is told; those inside start in the folder that their caller is
    /// in, and find the state where the first start led it.
    payload::Description front_description(const std::string& folder) const {
        payload::Description said = description(runtime_.start(), folder);
        if (project_.starts_in_own_folder()) said.working_folder = runtime_.application_place();
        for (const State& state : project_.states)
            said.state.push_back({state.is_folder, state_place(state), state.path});
        said.parts = parts_;
        return said;
    }

    Result<payload::PayloadSizes> write_front(const fs::path& file, const std::string& launcher,
                                              const std::string& folder) {
        payload::StorageOptions options{compression_level(project_.compression), key_ ? &*key_ : nullptr};
        return payload::write_output(file, launcher, tree_, front_description(folder), options, store_,
                                     observer_);
    }

    std::string launcher_with(const trace::Start& start, const std::string& folder) const {
        return payload::inner_launcher(launcher_, description(start, folder));
    }

    std::string state_place(const State& state) const {
        return (fs::path(runtime_.application_place()) / state.path).lexically_normal().string();
    }

    /// What is at a state path goes into the tree as initial content, and not to the path itself.
    Result<void> take_state(plan::Plan& plan) {
        std::erase_if(plan.files, [&](const plan::PlannedFile& file) {
            return std::ranges::any_of(project_.states, [&](const State& state) {
                return (file.place + "/").starts_with(state_place(state) + "/");
            });
        });
        auto initial = find_initial_state(project_);
        if (!initial) return pass_on(initial);
        for (const AssetFile& file : *initial) tree_.push_back({"state/" + file.place, 0644, "", file.file});
        return {};
    }

    static tl::unexpected<Error> two_on_one_place(const std::string& place, const std::string& one,
                                                  const std::string& other) {
        return fail(ErrorKind::bad_input, "two different files would be one in the output", place,
                    fmt::format("they are {} and {}", one, other),
                    "leave one of them out with --exclude, or give an asset another place");
    }

    /// Of files that go to one place the first goes along; the others have to be the same.
    static Result<void> check_places(plan::Plan& plan) {
        auto same_content = [](const std::string& one, const std::string& other) {
            auto left = MappedFile::open(one), right = MappedFile::open(other);
            return left && right && left->text() == right->text();
        };
        for (std::size_t i = 1; i < plan.files.size(); ++i) {
            const plan::PlannedFile &first = plan.files[i - 1], &next = plan.files[i];
            if (first.place == next.place && first.source != next.source &&
                !same_content(first.source, next.source))
                return two_on_one_place(first.place, first.source, next.source);
        }
        auto same_place = [](const plan::PlannedFile& one, const plan::PlannedFile& other) {
            return one.place == other.place;
        };
        plan.files.erase(std::unique(plan.files.begin(), plan.files.end(), same_place), plan.files.end());
        return {};
    }

    /// Each file of a made folder for itself.
    static std::vector<trace::MadeFile> made_files_of(std::vector<trace::MadeFile> made) {
        std::vector<trace::MadeFile> files;
        for (trace::MadeFile& one : made) {
            if (one.source.empty() || !is_folder(one.source)) {
                files.push_back(std::move(one));
                continue;
            }
            each_entry_below(one.source, [&](const fs::directory_entry& entry) {
                if (!entry.is_regular_file()) return;
                trace::MadeFile& file = files.emplace_back();
                file.place = one.place + "/" + entry.path().lexically_relative(one.source).string();
                file.mode = ::access(entry.path().c_str(), X_OK) == 0 ? 0755 : 0644;
                file.source = entry.path();
                file.gives_way = one.gives_way;
            });
        }
        std::ranges::sort(files, {}, &trace::MadeFile::place);
        return files;
    }

    Result<void> fill_tree() {
        plan::Plan plan = plan::make_plan(graph_, host_);
        if (auto right = check_places(plan); !right) return right;
        if (auto done = take_state(plan); !done) return done;
        if (auto done = take_loader(plan); !done) return done;
        if (auto done = lead_places(); !done) return done;
        auto made = runtime_.make_files(plan.code, jobs_, observer_);
        if (!made) return pass_on(made);
        std::unordered_map<std::string, const plan::PlannedFile*> taken;
        for (const plan::PlannedFile& file : plan.files) taken.emplace(file.place, &file);
        for (trace::MadeFile& file : made_files_of(std::move(*made))) {
            if (auto other = taken.find(file.place); other != taken.end()) {
                if (file.gives_way) continue;
                return two_on_one_place(file.place, "a file that Omnistasis makes", other->second->source);
            }
            TreeFile& out = tree_.emplace_back(TreeFile{file.place, file.mode});
            for (const auto& [unit, bytes] : file.shares) shares_[unit] = {file.place, bytes};
            out.changes_often = file.place.starts_with(runtime_.application_place() + "/");
            out.content = std::move(file.content);
            out.source = std::move(file.source);
            out.cuts = std::move(file.cuts);
        }
        for (const trace::InnerLauncher& inner : runtime_.inner_launchers()) {
            if (shape_.payload.empty()) {
                tree_.push_back({inner.place, 0755, launcher_with(inner.start, way_to_tree(inner.place))});
                tree_.back().group = group_native;
                continue;
            }
            tree_.push_back({inner.place, 0755, launcher_});
            tree_.push_back(
                {inner.place + ".payload", 0644,
                 payload::inner_launcher("", description(inner.start, way_to_tree(inner.place)))});
        }
        // The application's folder may hold nothing but modules, which are elsewhere; it may start there, and
        // paths may lead through it.
        std::string own = runtime_.application_place() + "/";
        bool is_there =
            std::ranges::any_of(tree_, [&](const TreeFile& file) { return file.place.starts_with(own); }) ||
            std::ranges::any_of(plan.files,
                                [&](const plan::PlannedFile& file) { return file.place.starts_with(own); });
        if (!is_there) tree_.push_back({own + ".folder", 0644});
        observer_.step("linking", plan.files.size());
        std::size_t first = tree_.size();
        tree_.resize(first + plan.files.size());
        treated_.emplace(project_, graph_, platform_, icon(), store_);
        std::mutex mutex;
        FirstFailure failures;
        oneapi::tbb::parallel_for(std::size_t(0), plan.files.size(), [&](std::size_t i) {
            const plan::PlannedFile& file = plan.files[i];
            TreeFile& out = tree_[first + i];
            out.place = file.place;
            out.group = trace::is_native(graph_.units[file.unit].kind) ? group_native : group_data;
            out.changes_often = graph_.units[file.unit].own;
            struct stat status {};
            bool executable = file.executable ||
                              (::stat(file.source.c_str(), &status) == 0 && (status.st_mode & 0111) != 0);
            out.mode = executable ? 0755 : 0644;
            auto saved = treated_->treat(file, out);
            if (!saved) failures.note(i, saved.error());
            std::lock_guard lock(mutex);
            if (saved && *saved > 0) {
                ++result_.stripped_files;
                result_.stripped_bytes += *saved;
            }
            observer_.advance(1);
        });
        return failures.result();
    }

    /// The programs of the tree find compiled-in paths there, through a library that they load first.
    Result<void> lead_places() {
        if (graph_.fixed_places.empty()) return {};
        fs::path library = installation_.launchers / fmt::format("fixed-places-{}.so", host_.target());
        if (!is_file(library))
            return fail(ErrorKind::missing, "can't lead paths into the application's files", library.string(),
                        "this installation has no library for it for that target", "install it again");
        TreeFile& out = tree_.emplace_back(TreeFile{fmt::format("lib/{}", fixed_places_library), 0644});
        out.source = library.string();
        out.group = group_native;
        TreeFile& list = tree_.emplace_back(TreeFile{"lib/fixed-places.list", 0644});
        for (const auto& [path, place] : graph_.fixed_places) list.content += path + '\t' + place + '\n';
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
            tree_.push_back({file.place, 0755, launcher_with(start, way_to_tree(file.place))});
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

    void count() {
        for (const TreeFile& file : tree_) {
            std::uint64_t size = sizes_.emplace(file.place, payload::size_of(file)).first->second;
            result_.tree_size += size;
        }
        result_.tree_files = tree_.size();
        for (const trace::Unit& unit : graph_.units) {
            result_.modules += trace::is_source(unit.kind) || unit.kind == trace::UnitKind::extension;
            result_.libraries += unit.kind == trace::UnitKind::native;
            result_.data_files += unit.kind == trace::UnitKind::data;
        }
    }

    /// What an output says of itself to `inspect` and `compare`.
    void list_parts() {
        static const std::map<trace::UnitKind, std::string> kinds{
            {trace::UnitKind::code, "module"},         {trace::UnitKind::script, "module"},
            {trace::UnitKind::extension, "extension"}, {trace::UnitKind::native, "library"},
            {trace::UnitKind::program, "program"},     {trace::UnitKind::data, "data"}};
        const review::Components& components = review_.components;
        std::vector<payload::Part> parts(graph_.units.size());
        oneapi::tbb::parallel_for(std::size_t(0), parts.size(), [&](std::size_t i) {
            const trace::Unit& unit = graph_.units[i];
            auto kind = kinds.find(unit.kind);
            auto hash = kind == kinds.end() ? std::nullopt : file_hash(unit.file, store_);
            if (!hash) return;
            payload::Part& part = parts[i];
            part = {kind->second, unit.name, "", trace::size_of(unit), hex(*hash).substr(0, 16)};
            if (components.of_unit[i] != review::Components::own)
                part.owner = components.all[components.of_unit[i]].name;
            // What is compiled has its place among others, unless it stands in the tree as a file.
            if (auto share = shares_.find(unit.name);
                unit.kind == trace::UnitKind::code && share != shares_.end()) {
                part.place = share->second.first;
                part.inside = share->second.second;
            } else {
                std::string place = unit.kind == trace::UnitKind::code ? unit.place + "c" : unit.place;
                if (auto size = sizes_.find(place); size != sizes_.end()) {
                    part.place = place;
                    part.inside = size->second;
                }
            }
        });
        std::erase_if(parts, [](const payload::Part& part) { return part.kind.empty(); });
        for (const review::Component& one : components.all) {
            payload::Part part{review::word_of(one.kind), one.name, one.version, 0, ""};
            part.licence = one.licence;
            part.url = one.url;
            parts.push_back(std::move(part));
        }
        parts_ = payload::parts_text(std::move(parts));
    }

    /// The launcher with its payload behind it, or in a file of its own where nothing may follow a program:
    /// the system's own signature ends with it.
    Result<void> write_start(const fs::path& folder) {
        fs::path file = folder / shape_.executable;
        std::string launcher = front_launcher_;
        if (!shape_.payload.empty()) {
            if (auto done = make_folder(file.parent_path()); !done) return done;
            if (auto done = write_new(file, as_bytes(launcher), 0755); !done) return done;
            result_.size = launcher.size();
            launcher.clear();
            file = folder / shape_.payload;
        }
        if (auto done = make_folder(file.parent_path()); !done) return done;
        auto sizes = write_front(file, launcher, shape_.tree_folder);
        if (!sizes) return pass_on(sizes);
        if (shape_.tree.empty()) result_.payload = std::move(*sizes);
        result_.size += fs::file_size(file);
        return {};
    }

    static Result<void> make_folder(const fs::path& folder) {
        std::error_code failed;
        fs::create_directories(folder, failed);
        if (failed) return fail(ErrorKind::unwritable, "can't make the folder", folder, failed.message());
        return {};
    }

    Result<void> write_tree(const fs::path& folder) {
        observer_.step("writing", tree_.size());
        std::error_code failed;
        for (const TreeFile& file : tree_) {
            fs::path to = folder / shape_.tree / file.place;
            fs::create_directories(to.parent_path(), failed);
            auto content = payload::TreeContent::of(file, store_);
            if (!content) return pass_on(content);
            auto bytes = content->bytes();
            if (!bytes) return pass_on(bytes);
            if (auto done = write_new(to, *bytes, file.mode); !done) return done;
            result_.size += bytes->size();
            observer_.advance(1);
        }
        return {};
    }

    const Project& project_;
    trace::Runtime& runtime_;
    const trace::Graph& graph_;
    const review::Review& review_;
    const native::HostLibraries& host_;
    Store& store_;
    const Installation& installation_;
    unsigned jobs_;
    Observer& observer_;
    const dress::Platform& platform_;
    dress::Shape shape_;
    std::optional<dress::IconPictures> icon_;
    std::string launcher_;
    std::string front_launcher_; ///< the one in front of the tree: with the mode and the public key
    std::optional<payload::SigningKey> key_;
    std::string parts_;
    std::unordered_map<std::string, std::uint64_t> sizes_;                ///< of the tree's files, by place
    std::map<std::string, std::pair<std::string, std::uint64_t>> shares_; ///< units, in files with others
    std::string loader_;                                                  ///< the tree's own; its place
    std::optional<TreatedFiles> treated_; ///< makes contents of the tree's files when they are asked for
    std::vector<TreeFile> tree_;
    BuildResult result_;
};

} // namespace

Result<Installation> Installation::find() {
    std::error_code failed;
    fs::path prefix = own_prefix();
    Installation found{prefix / "share/omnistasis", own_modules()};
    if (!fs::is_directory(found.data, failed) || !fs::is_directory(found.launchers, failed))
        return fail(ErrorKind::missing, "parts of Omnistasis are missing", prefix,
                    "share/omnistasis or lib/omnistasis is not there", "install Omnistasis anew");
    return found;
}

Result<BuildResult> build(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
                          const review::Review& review, const native::HostLibraries& host, Store& store,
                          const Installation& installation, unsigned jobs, Observer& observer) {
    oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism, jobs);
    return Builder(project, runtime, graph, review, host, store, installation, jobs, observer).run();
}

} // namespace omnistasis::build
