#include "watch/structure.h"

#include "dress/bundle_seal.h"
#include "dress/opened_bundle.h"
#include "native/mach_o_loader.h"
#include "native/mach_signature.h"
#include "native/oldest_system.h"
#include "payload/payload_contents.h"
#include "support/files.h"
#include "support/pattern.h"
#include "support/target_info.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <optional>
#include <set>

namespace omnistasis::watch {

namespace {

/// The text of a key in Info.plist; empty where it is not there.
std::string text_of_key(const std::string& plist, const std::string& key) {
    std::size_t at = plist.find("<key>" + key + "</key>");
    if (at == std::string::npos) return {};
    constexpr std::string_view start = "<string>";
    std::size_t begin = plist.find(start, at), next = plist.find("<key>", at + 1);
    if (begin == std::string::npos || begin > next) return {};
    begin += start.size();
    return plist.substr(begin, plist.find('<', begin) - begin);
}

class Bundle {
  public:
    Bundle(fs::path folder, const ProofSubject& subject, const std::vector<std::string>& foreign)
        : folder_(std::move(folder)), contents_(folder_ / "Contents"), subject_(subject), foreign_(foreign) {
        const TargetInfo* target = find_target(subject.target);
        processor_ = target == nullptr ? 0 : target->machine;
        tree_ = contents_ / "Resources/tree";
        if (subject.graph == nullptr) return;
        for (const trace::LooseEnd& end : subject.graph->loose_ends)
            if (end.kind == "missing-library") told_.insert(base_name(end.file));
        auto program = std::ranges::find(subject.graph->units, trace::UnitKind::program, &trace::Unit::kind);
        if (program != subject.graph->units.end()) program_place_ = program->place;
    }

    Result<Proof> look() {
        std::string plist = text_of(contents_ / "Info.plist");
        std::string program = text_of_key(plist, "CFBundleExecutable");
        for (const char* key : {"CFBundleIdentifier", "CFBundlePackageType", "CFBundleShortVersionString",
                                "CFBundleVersion", "LSMinimumSystemVersion"})
            if (text_of_key(plist, key).empty())
                bad("Contents/Info.plist", fmt::format("it does not say {}", key));
        if (program.empty() || !is_file(contents_ / "MacOS" / program))
            bad("Contents/Info.plist", "the program that it names is not in Contents/MacOS");
        std::string seal = text_of(contents_ / "_CodeSignature/CodeResources");
        auto expected = dress::bundle_seal(contents_, "MacOS/" + program);
        if (!expected || *expected != seal)
            bad("Contents/_CodeSignature/CodeResources", "its hashes are not those of the bundle's files");
        program_ = contents_ / "MacOS" / program;
        if (auto done = look_at_payload(program); !done) return pass_on(done);
        look_below(folder_, plist, seal);
        if (unpacked_) look_below(tree_, plist, seal);
        std::string oldest = text_of_key(plist, "LSMinimumSystemVersion");
        if (std::string needed = native::version_text(oldest_.system().version);
            !needed.empty() && oldest != needed)
            bad("Contents/Info.plist", fmt::format("it says macOS {}, and {} needs {}", oldest,
                                                   place_of(oldest_.system().file), needed));
        proof_.host_libraries.assign(host_.begin(), host_.end());
        std::ranges::stable_sort(proof_.findings, {}, [](const ProofFinding& one) {
            return std::tuple(!one.fails, one.kind, one.what);
        });
        return std::move(proof_);
    }

  private:
    static std::string text_of(const fs::path& file) {
        auto text = read_text(file);
        return text ? std::move(*text) : std::string();
    }

    std::string place_of(const fs::path& file) const {
        std::string unpacked = unpacked_ ? relative_to(file.string(), tree_.string()) : "";
        return unpacked.empty() ? file.lexically_relative(folder_).string() : "tree/" + unpacked;
    }
    bool is_inside(const std::string& path) const {
        return !relative_to(path, folder_.string()).empty() || !relative_to(path, tree_.string()).empty();
    }

    void add(FindingKind kind, const std::string& what, std::string advice, bool fails) {
        proof_.findings.push_back({kind, what, {}, {}, std::move(advice), fails});
    }
    void bad(const std::string& place, std::string why) {
        add(FindingKind::wrong_file, place, std::move(why), true);
    }

    /// A tree that is in the payload is unpacked, to be looked at as one that lies open.
    Result<void> look_at_payload(const std::string& program) {
        fs::path file = contents_ / ("Resources/" + program + ".payload");
        if (!is_file(file)) {
            bad("Contents/Resources", "there is no payload for the launcher");
            return {};
        }
        auto payload = payload::PayloadContents::open(file);
        auto right = payload ? payload->verify() : Result<void>(pass_on(payload));
        if (!right) bad(place_of(file), right.error().what + ": " + right.error().why);
        if (!right || payload->is_folder()) return {};
        auto staging = StagingFolder::make(fs::temp_directory_path(), "omnistasis-bundle");
        if (!staging) return pass_on(staging);
        tree_ = staging->path() / "tree";
        unpacked_.emplace(std::move(*staging));
        return payload->extract(tree_);
    }

    void look_below(const fs::path& folder, const std::string& plist, const std::string& seal) {
        each_entry_below(folder, [&](const fs::directory_entry& entry) {
            std::error_code failed;
            if (entry.is_symlink(failed)) {
                look_at_link(entry.path());
            } else if (entry.is_regular_file(failed)) {
                ++proof_.tree_files;
                proof_.tree_size += entry.file_size(failed);
                look_at_file(entry.path(), {"", entry.path() == program_ ? plist : "",
                                            entry.path() == program_ ? seal : ""});
            }
        });
    }

    void look_at_link(const fs::path& link) {
        std::error_code failed;
        fs::path to = (link.parent_path() / fs::read_symlink(link, failed)).lexically_normal();
        if (!is_inside(to.string())) bad(place_of(link), "the link leads out of the bundle");
    }

    void look_at_file(const fs::path& file, const native::SealedParts& parts) {
        auto content = MappedFile::open(file);
        if (!content) return bad(place_of(file), content.error().why);
        for (const std::string& text : foreign_)
            if (content->text().find(text) != std::string_view::npos)
                bad(place_of(file), fmt::format("it holds the path {} of this machine", text));
        if (!native::looks_like_mach_o(content->bytes())) return;
        auto image = native::image_for(content->bytes(), processor_);
        if (!image) {
            // Packages carry files for several processors.
            if (file == program_) bad(place_of(file), "it is for another processor");
            return;
        }
        auto read = native::read_mach_o(*image, place_of(file));
        if (!read) return bad(place_of(file), read.error().what);
        if (!read->images.front().is_loadable()) return;
        oldest_.add(file.string(), *read);
        if (std::string wrong = native::wrong_with_seal(*image, parts); !wrong.empty())
            bad(place_of(file), wrong);
        for (const native::MachLibrary& library : read->images.front().libraries)
            look_at_library(file, read->images.front(), library);
    }

    void look_at_library(const fs::path& file, const native::MachImage& image,
                         const native::MachLibrary& library) {
        if (library.name == image.install_name) return;
        if (subject_.host->find(library.name) != nullptr) {
            host_.insert(library.name);
            return;
        }
        auto paths = native::loaded_paths(library.name, image, file.parent_path().string(),
                                          (tree_ / program_place_).parent_path().string());
        bool is_there_ = std::ranges::any_of(
            paths, [&](const std::string& path) { return is_file(path) && is_inside(path); });
        if (is_there_ || library.weak) return;
        bool is_told = told_.contains(file.filename().string());
        add(FindingKind::missing_library, library.name,
            is_told ? fmt::format("{} asks for it: the trace told so", place_of(file))
                    : fmt::format("{} asks for it, and it is neither in the bundle nor the system's",
                                  place_of(file)),
            !is_told);
    }

    fs::path folder_, contents_, program_;
    std::optional<StagingFolder> unpacked_; ///< holds the tree that is in the payload
    fs::path tree_;
    std::string program_place_ = "bin/program"; ///< of the runtime's own, which loads all but the launcher
    const ProofSubject& subject_;
    const std::vector<std::string>& foreign_;
    std::uint32_t processor_ = 0;
    std::set<std::string> told_; ///< names of files whose missing libraries the trace has told
    std::set<std::string> host_;
    native::OldestSystem oldest_;
    Proof proof_;
};

} // namespace

Result<Proof> prove_structure(const ProofSubject& subject, const std::vector<std::string>& foreign) {
    auto start = std::chrono::steady_clock::now();
    auto opened = dress::OpenedBundle::open(subject.output);
    if (!opened) return pass_on(opened);
    auto proof = Bundle(opened->folder(), subject, foreign).look();
    if (!proof) return proof;
    proof->name = structure_run;
    proof->by = "its structure alone";
    proof->limits = "nothing here runs programs of that system";
    proof->seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return proof;
}

} // namespace omnistasis::watch
