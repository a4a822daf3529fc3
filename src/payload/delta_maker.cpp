#include "payload/delta_file.h"
#include "support/hash.h"

#include <algorithm>
#include <map>
#include <optional>
#include <set>
#include <unistd.h>

namespace omnistasis::payload {

namespace {

class Maker {
  public:
    Maker(const PayloadContents& base, const PayloadContents& result) : base_(base), result_(result) {}

    Result<DeltaSummary> make(const fs::path& delta) {
        if (base_.is_folder() != result_.is_folder())
            return fail(ErrorKind::bad_input, "the two outputs have different forms", result_.file().string(),
                        "a delta leads from one file to another, or from one folder to another",
                        "build both with the same --form");
        for (const PayloadContents* one : {&base_, &result_})
            if (auto right = one->verify(); !right) return pass_on(right);
        summary_ = {base_.is_folder() ? "folder" : "file",
                    base_.description().name,
                    base_.description().version,
                    base_.identity(),
                    result_.description().name,
                    result_.description().version,
                    result_.identity(),
                    0,
                    0};
        add_executable();
        if (result_.is_folder())
            for (auto add : {&Maker::add_files, &Maker::add_files_beside})
                if (auto done = (this->*add)(); !done) return pass_on(done);
        DeltaFile file{summary_, std::move(files_), as_bytes(data_)};
        if (auto written = write_atomically(delta, file.text()); !written) return pass_on(written);
        return summary_;
    }

  private:
    /// The executable: what both have in common is taken from the base, segment by segment.
    void add_executable() {
        std::map<std::string, std::uint64_t> known;
        for (const Segment& segment : base_.segments())
            known.emplace(segment.hash + std::to_string(segment.size), segment.offset);
        ChangedFile file{result_.is_folder() ? result_.file().filename().string() : "", 0755, {}};
        for (const Segment& segment : result_.segments()) {
            auto found = known.find(segment.hash + std::to_string(segment.size));
            ByteSpan bytes = result_.bytes().subspan(segment.offset, segment.size);
            if (found == known.end()) {
                add_data(file, bytes, {});
            } else {
                Piece* last = file.pieces.empty() ? nullptr : &file.pieces.back();
                if (last != nullptr && last->from_base && last->offset + last->size == found->second)
                    last->size += segment.size;
                else
                    file.pieces.push_back({true, found->second, 0, segment.size, {}, {}});
                summary_.taken += segment.size;
            }
            summary_.result_size += segment.size;
        }
        for (Piece& piece : file.pieces)
            if (piece.from_base) piece.hash = damage_check(base_.bytes().subspan(piece.offset, piece.size));
        files_.push_back(std::move(file));
    }

    /// The tree's files that the base has nowhere.
    Result<void> add_files() {
        std::map<std::string, std::string> of_base; // hashes, by place
        std::set<std::string> known;
        for (const StoredFile& file : base_.files()) {
            of_base[file.place] = file.hash;
            known.insert(file.hash);
        }
        for (const StoredFile& file : result_.files()) {
            summary_.result_size += file.size;
            if (!known.insert(file.hash).second) {
                summary_.taken += file.size;
                continue;
            }
            auto content = MappedFile::open(file_of(result_, file.place));
            if (!content) return pass_on(content);
            ChangedFile changed{result_.description().tree_folder + "/" + file.place, file.mode, {}};
            std::optional<MappedFile> before;
            if (of_base.contains(file.place)) {
                auto mapped = MappedFile::open(file_of(base_, file.place));
                if (!mapped) return pass_on(mapped);
                before = std::move(*mapped);
            }
            add_data(changed, content->bytes(), before ? before->bytes() : ByteSpan());
            files_.push_back(std::move(changed));
        }
        return {};
    }

    static fs::path file_of(const PayloadContents& output, const std::string& place) {
        return output.file().parent_path() / output.description().tree_folder / place;
    }

    /// What lies beside tree and executable, as menu entries and icons, where the base has another or none.
    Result<void> add_files_beside() {
        fs::path folder = result_.file().parent_path(), base_folder = base_.file().parent_path();
        std::vector<std::string> places;
        each_entry_below(folder, [&](const fs::directory_entry& entry) {
            std::string place = relative_to(entry.path().string(), folder.string());
            bool is_known = place == result_.file().filename().string() ||
                            place.starts_with(result_.description().tree_folder + "/");
            if (!is_known && !entry.is_symlink() && entry.is_regular_file()) places.push_back(place);
        });
        std::ranges::sort(places);
        for (const std::string& place : places) {
            auto content = MappedFile::open(folder / place);
            if (!content) return pass_on(content);
            summary_.result_size += content->bytes().size();
            auto before = MappedFile::open(base_folder / place);
            if (before && before->text() == content->text()) {
                summary_.taken += content->bytes().size();
                continue;
            }
            ChangedFile changed{place, ::access((folder / place).c_str(), X_OK) == 0 ? 0755u : 0644u, {}};
            add_data(changed, content->bytes(), before ? before->bytes() : ByteSpan());
            files_.push_back(std::move(changed));
        }
        return {};
    }

    void add_data(ChangedFile& file, ByteSpan bytes, ByteSpan before) {
        do {
            std::size_t size = std::min<std::size_t>(bytes.size(), largest_piece);
            add_piece(file, bytes.first(size), before);
            bytes = bytes.subspan(size);
        } while (!bytes.empty());
    }

    void add_piece(ChangedFile& file, ByteSpan bytes, ByteSpan before) {
        std::string stored = pack_piece(bytes, before);
        Piece piece{false,
                    data_.size(),
                    stored.size(),
                    bytes.size(),
                    before.empty() ? "zstd" : "zstd-base",
                    hex(sha256(bytes))};
        if (stored.empty() || stored.size() >= bytes.size()) {
            piece.packed = "none";
            piece.stored = bytes.size();
            stored = as_text(bytes);
        }
        data_ += stored;
        file.pieces.push_back(std::move(piece));
    }

    const PayloadContents& base_;
    const PayloadContents& result_;
    DeltaSummary summary_;
    std::vector<ChangedFile> files_;
    std::string data_;
};

} // namespace

Result<fs::path> executable_of(const fs::path& output) {
    auto no_output = [&](const std::string& why) {
        return fail(ErrorKind::bad_input, "this is not an output of Omnistasis", output.string(), why,
                    "name an executable that `omnistasis build` made, or the folder of one");
    };
    if (!is_there(output)) return no_output("there is no such file");
    if (!is_folder(output)) return output;
    for (const FolderEntry& entry : list_folder(output)) {
        if (entry.is_folder) continue;
        auto file = MappedFile::open(output / entry.name);
        if (file && PayloadContents::has_payload(file->bytes())) return output / entry.name;
    }
    return no_output("no file in the folder has a payload");
}

Result<DeltaSummary> make_delta(const fs::path& base, const fs::path& result, const fs::path& delta) {
    auto from = PayloadContents::open(base);
    if (!from) return pass_on(from);
    auto to = PayloadContents::open(result);
    if (!to) return pass_on(to);
    return Maker(*from, *to).make(delta);
}

} // namespace omnistasis::payload
