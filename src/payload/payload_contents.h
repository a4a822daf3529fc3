#pragma once

#include "payload/parts.h"
#include "payload/payload_writer.h"
#include "payload_reader.h"
#include "support/files.h"

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace omnistasis::payload {

/// A file in a payload.
struct StoredFile {
    std::string place;
    unsigned mode = 0644;
    std::uint64_t size = 0;
    std::string hash; ///< SHA-256, hexadecimal
    std::uint32_t content = 0;
};

/// A stretch of an output's file.
struct Segment {
    std::uint64_t offset = 0;
    std::uint64_t size = 0;
    std::string hash; ///< SHA-256, 32 bytes
};

/// The payload of an output, for looking at and taking apart (docs/payload-format.md). All that is told has
/// been checked against the hashes above it: the trailer's, the head's, the index's.
class PayloadContents {
  public:
    /// Fails with an error of the kind bad_input where the file has no payload or a damaged one.
    static Result<PayloadContents> open(const fs::path& file);

    /// Whether a file ends as one with a payload does.
    static bool has_payload(ByteSpan file);

    const Description& description() const { return description_; }
    const std::string& tree_id() const { return tree_id_; } ///< hexadecimal
    std::uint64_t launcher_size() const { return launcher_size_; }
    std::uint64_t payload_size() const { return payload_size_; }
    std::uint64_t raw_size() const { return raw_size_; } ///< of all different contents
    const std::vector<StoredFile>& files() const { return files_; }
    /// Whether the files lie beside the launcher.
    bool is_folder() const { return !description_.tree_folder.empty(); }

    ByteSpan bytes() const { return file_.bytes(); } ///< the whole file
    const fs::path& file() const { return name_; }

    /// The hash of the head and the trailer, hexadecimal. The head's hashes cover all the rest, so this
    /// stands for the whole output, to the byte.
    std::string identity() const;

    /// Checks all that the hashes cover, on all threads that TBB may use.
    Result<void> verify() const;

    /// The publisher's public key in the launcher, 32 bytes; empty where the output is not signed.
    const std::string& public_key() const { return public_key_; }

    /// The list of parts; empty where there is none. Fails where it is damaged.
    Result<std::vector<Part>> parts() const;

    /// What makes up the file, one after another without gaps: the launcher, the blocks, the list of parts,
    /// the index, the head with the trailer.
    std::vector<Segment> segments() const;

    /// What each content takes of the blocks that it is in, by number; together that is all of the blocks, to
    /// the byte. Of a tree that lies beside the launcher, the contents' own sizes.
    std::vector<std::uint64_t> stored_sizes() const;

    /// Calls `take` with every different content, in order of its number, after its hash was checked; of a
    /// tree that lies beside the launcher too. It is called on several threads, one at a time. Stops at an
    /// error, its own or one that `take` returns.
    Result<void> each_content(
        const std::function<Result<void>(std::uint32_t number, const std::string& bytes)>& take) const;

    /// Writes all files into a folder that is empty, or not there.
    Result<void> extract(const fs::path& folder) const;

  private:
    PayloadContents(MappedFile file, fs::path name) : file_(std::move(file)), name_(std::move(name)) {}
    Result<void> read();
    Result<void> each_file_beside(
        const std::function<Result<void>(std::uint32_t number, const std::string& bytes)>& take) const;
    tl::unexpected<Error> damaged(const std::string& why) const;

    MappedFile file_;
    fs::path name_;
    Description description_;
    std::string tree_id_;
    std::string public_key_;
    std::string raw_index_;
    PartsPlace parts_;
    std::uint64_t head_offset_ = 0;
    std::uint64_t launcher_size_ = 0, payload_size_ = 0, raw_size_ = 0;
    std::vector<StoredFile> files_;
};

/// The launcher whose payload has a file of its own, as that looks for it: NAME.payload beside it, or in a
/// bundle in `Resources`. Empty where the file has no such name.
fs::path launcher_of_payload(const fs::path& payload);

} // namespace omnistasis::payload
