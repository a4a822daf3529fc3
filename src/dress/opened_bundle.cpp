#include "dress/opened_bundle.h"

#include "support/archive.h"

namespace omnistasis::dress {

namespace {

constexpr std::uint64_t largest_bundle = 64ull << 30;
constexpr std::string_view packed_ending = ".zip", folder_ending = ".app";

} // namespace

bool is_packed_bundle(const fs::path& file) {
    return file.extension() == packed_ending && file.stem().extension() == folder_ending && is_file(file);
}

bool is_bundle(const fs::path& output) {
    return is_packed_bundle(output) ||
           (output.extension() == folder_ending && is_folder(output / "Contents"));
}

void OpenedBundle::name_files_of(Error& error) const {
    std::string inner = unpacked_ ? relative_to(error.where, unpacked_->path().string()) : "";
    if (!inner.empty()) error.where = std::move(inner);
}

Result<OpenedBundle> OpenedBundle::open(const fs::path& bundle) {
    OpenedBundle opened;
    opened.folder_ = bundle;
    if (is_packed_bundle(bundle)) {
        auto staging = StagingFolder::make(fs::temp_directory_path(), "omnistasis-bundle");
        if (!staging) return pass_on(staging);
        if (auto done = unpack_archive(bundle, staging->path(), largest_bundle); !done) return pass_on(done);
        opened.folder_ = staging->path() / bundle.stem();
        opened.unpacked_.emplace(std::move(*staging));
    }
    if (!is_folder(opened.folder_ / "Contents"))
        return fail(ErrorKind::bad_input, "this is no bundle for macOS", bundle.string(),
                    "there is no folder Contents in it", "name the NAME.app.zip or NAME.app that was built");
    return opened;
}

} // namespace omnistasis::dress
