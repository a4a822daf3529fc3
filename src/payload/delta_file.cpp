#include "payload/delta_file.h"

#include "support/byte_writer.h"
#include "support/hash.h"
#include "support/json.h"

#include <algorithm>
#include <memory>
#include <tuple>
#include <zstd.h>

namespace omnistasis::payload {

namespace {

constexpr std::string_view magic = "OMNIDLT1";
constexpr std::size_t front_size =
    8 + 8 + 8 + 32; ///< magic, stored and raw size of the description, its hash
// A description is mostly hashes, which can't be compressed much.
constexpr std::uint64_t description_bound = 1u << 20, most_gain = 100;
constexpr int level = 19;
constexpr std::uint64_t largest_for_that_level =
    8u << 20; ///< above, a lower one: time grows faster than the gain
constexpr int most_window_log = 30;

Json summary_json(const DeltaSummary& summary) {
    return {
        {"format", 1},
        {"form", summary.form},
        {"base", {{"name", summary.base_name}, {"version", summary.base_version}, {"id", summary.base_id}}},
        {"result",
         {{"name", summary.result_name}, {"version", summary.result_version}, {"id", summary.result_id}}},
        {"size", summary.result_size},
        {"taken", summary.taken}};
}

DeltaSummary summary_of(const Json& json) {
    DeltaSummary summary;
    summary.form = json.at("form");
    const Json& base = json.at("base");
    const Json& result = json.at("result");
    for (auto [from, name, version, id] :
         {std::tuple{&base, &summary.base_name, &summary.base_version, &summary.base_id},
          std::tuple{&result, &summary.result_name, &summary.result_version, &summary.result_id}}) {
        *name = from->at("name");
        *version = from->at("version");
        *id = from->at("id");
    }
    summary.result_size = json.at("size");
    summary.taken = json.at("taken");
    return summary;
}

} // namespace

void to_json(Json& json, const Piece& piece) {
    json = {{"size", piece.size}, {piece.from_base ? "xxh3" : "sha256", piece.hash}};
    if (piece.from_base) {
        json["base"] = piece.offset;
    } else {
        json["data"] = piece.offset;
        json["stored"] = piece.stored;
        json["packed"] = piece.packed;
    }
}

void from_json(const Json& json, Piece& piece) {
    piece.from_base = json.contains("base");
    piece.offset = json.at(piece.from_base ? "base" : "data");
    piece.size = json.at("size");
    piece.hash = json.at(piece.from_base ? "xxh3" : "sha256");
    if (piece.from_base) return;
    piece.stored = json.at("stored");
    piece.packed = json.at("packed");
}

tl::unexpected<Error> damaged_delta(const fs::path& file, const std::string& why) {
    return fail(ErrorKind::bad_input, "the delta can't be used", file.string(), why, "get it anew");
}

std::string pack_piece(ByteSpan raw, ByteSpan before) {
    std::unique_ptr<ZSTD_CCtx, decltype(&ZSTD_freeCCtx)> context(ZSTD_createCCtx(), &ZSTD_freeCCtx);
    bool is_large = raw.size() + before.size() > largest_for_that_level;
    ZSTD_CCtx_setParameter(context.get(), ZSTD_c_compressionLevel, is_large ? 12 : level);
    int window = 10;
    while (window < most_window_log && (std::uint64_t(1) << window) < raw.size() + before.size()) ++window;
    ZSTD_CCtx_setParameter(context.get(), ZSTD_c_windowLog, window);
    if (is_large) ZSTD_CCtx_setParameter(context.get(), ZSTD_c_enableLongDistanceMatching, 1);
    ZSTD_CCtx_refPrefix(context.get(), before.data(), before.size());
    std::string out(ZSTD_compressBound(raw.size()), '\0');
    std::size_t size = ZSTD_compress2(context.get(), out.data(), out.size(), raw.data(), raw.size());
    out.resize(ZSTD_isError(size) ? 0 : size);
    return out;
}

bool unpack_piece(ByteSpan stored, ByteSpan before, std::uint64_t size, std::string& raw) {
    if (ZSTD_getFrameContentSize(stored.data(), stored.size()) != size) return false;
    raw.resize(size);
    std::unique_ptr<ZSTD_DCtx, decltype(&ZSTD_freeDCtx)> context(ZSTD_createDCtx(), &ZSTD_freeDCtx);
    ZSTD_DCtx_setParameter(context.get(), ZSTD_d_windowLogMax, most_window_log);
    ZSTD_DCtx_refPrefix(context.get(), before.data(), before.size());
    return ZSTD_decompressDCtx(context.get(), raw.data(), raw.size(), stored.data(), stored.size()) ==
           raw.size();
}

Result<DeltaFile> DeltaFile::read(ByteSpan bytes, const fs::path& name) {
    auto number = [&](std::size_t at) {
        std::uint64_t value = 0;
        for (std::size_t i = 8; i-- > 0;) value = value << 8 | bytes[at + i];
        return value;
    };
    if (bytes.size() < front_size || !as_text(bytes).starts_with(magic))
        return damaged_delta(name, "it is no delta");
    std::uint64_t stored = number(8), raw_size = number(16);
    if (stored > bytes.size() - front_size || raw_size > description_bound + stored * most_gain)
        return damaged_delta(name, "it is cut off or damaged");
    ByteSpan description = bytes.subspan(front_size, stored);
    Sha256 hash = sha256(description);
    std::string raw;
    if (!std::equal(hash.begin(), hash.end(), bytes.begin() + 24) ||
        !unpack_piece(description, {}, raw_size, raw))
        return damaged_delta(name, "its description does not fit its hash");
    DeltaFile file;
    file.data = bytes.subspan(front_size + stored);
    Json json = parse_json(raw);
    if (json.is_discarded()) return damaged_delta(name, "its description can't be read");
    try {
        if (json.at("format") != 1)
            return damaged_delta(name, "it was made by a newer version, in a format that is not known here");
        file.summary = summary_of(json);
        for (const Json& one : json.at("files"))
            file.files.push_back(
                {one.at("path"), one.at("mode"), one.at("pieces").get<std::vector<Piece>>()});
    } catch (const Json::exception& error) {
        return damaged_delta(name, error.what());
    }
    return file;
}

std::string DeltaFile::text() const {
    Json description = summary_json(summary);
    description["files"] = Json::array();
    for (const ChangedFile& file : files)
        description["files"].push_back({{"path", file.path}, {"mode", file.mode}, {"pieces", file.pieces}});
    std::string raw = json_line(description);
    std::string stored = pack_piece(as_bytes(raw), {});
    std::string content(magic);
    for (std::uint64_t size : {stored.size(), raw.size()}) put_little(content, size, 8);
    Sha256 hash = sha256(stored);
    content += as_text(hash);
    content += stored;
    content += as_text(data);
    return content;
}

} // namespace omnistasis::payload
