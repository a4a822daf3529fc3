#include "dress/icon_pictures.h"

#include "support/file_hash.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/subprocess.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <new>
#include <sys/resource.h>

namespace omnistasis::dress {

namespace {

constexpr double most_seconds = 10;
constexpr std::uint64_t most_memory =
    1536u << 20; // bytes; the libraries for drawings take some 300 MB of addresses
constexpr std::uint64_t most_answer = 64u << 20;

/// Each field of the answer, in one order for writing and reading.
template <typename Archive, typename Answer> void visit(Archive& archive, Answer& answer) {
    archive.value(answer.is_right);
    archive.value(answer.error.kind);
    for (auto* text : {&answer.error.what, &answer.error.where, &answer.error.why, &answer.error.hint})
        archive.value(*text);
    archive.value(answer.facts.kind);
    archive.value(answer.width);
    archive.value(answer.height);
    visit_list(archive, answer.pictures, [](auto& into, auto& picture) { into.value(picture); });
}

struct Answer {
    bool is_right = false;
    Error error{};
    IconFacts facts{};
    std::uint32_t width = 0, height = 0;
    std::vector<std::string> pictures{}; ///< the pixels, of each edge
};

tl::unexpected<Error> too_much(const std::filesystem::path& file, bool is_time) {
    return fail(ErrorKind::bad_input, "the icon takes too much to draw", file,
                is_time ? fmt::format("it took more than {} seconds", most_seconds)
                        : fmt::format("it wanted more than {} MB of memory, or stopped what draws it",
                                      most_memory >> 20),
                "make the picture smaller or simpler: 1024 x 1024 pixels are enough");
}

} // namespace

std::string made_icon_pictures(const std::filesystem::path& file, const std::filesystem::path& modules,
                               const std::vector<int>& edges) {
#ifndef __SANITIZE_ADDRESS__ // which has addresses for terabytes
    rlimit memory{most_memory, most_memory};
    ::setrlimit(RLIMIT_AS, &memory);
#endif
    rlimit no_core{0, 0};
    ::setrlimit(RLIMIT_CORE, &no_core);
    Answer answer;
    auto source = IconSource::open(file, modules);
    answer.is_right = source.has_value();
    if (!source) {
        answer.error = source.error();
    } else {
        answer.facts = source->facts();
        answer.width = static_cast<std::uint32_t>(answer.facts.width);
        answer.height = static_cast<std::uint32_t>(answer.facts.height);
        for (int edge : edges) {
            Picture picture = source->at(edge);
            answer.pictures.emplace_back(picture.pixels.begin(), picture.pixels.end());
        }
    }
    FormWriter writer;
    visit(writer, answer);
    return std::move(writer.bytes);
}

namespace {

/// What that process answers.
Result<std::string> answer_of_process(const std::filesystem::path& file, const std::filesystem::path& modules,
                                      const std::vector<int>& edges) {
    std::vector<std::string> command{(own_prefix() / "bin/omnistasis").string(), icon_pictures_word,
                                     file.string(), modules.string()};
    for (int edge : edges) command.push_back(std::to_string(edge));
    auto done = run_program(
        command, {}, {.seconds = most_seconds, .most_output = most_answer, .most_file = 0, .enough = {}});
    if (!done) return pass_on(done);
    if (done->timed_out || done->exit_code != 0) return too_much(file, done->timed_out);
    return std::move(done->out);
}

} // namespace

Result<IconPictures> IconPictures::from_answer(const std::string& bytes, const std::filesystem::path& file,
                                               const std::vector<int>& edges) {
    FormReader reader(bytes);
    Answer answer;
    visit(reader, answer);
    if (!reader.complete()) return too_much(file, false);
    if (!answer.is_right) return tl::make_unexpected(answer.error);
    if (answer.pictures.size() != edges.size()) return too_much(file, false);
    IconPictures made;
    made.facts_ = {answer.facts.kind, static_cast<int>(answer.width), static_cast<int>(answer.height)};
    for (std::size_t i = 0; i < edges.size(); ++i) {
        const std::string& pixels = answer.pictures[i];
        if (pixels.size() != static_cast<std::size_t>(edges[i]) * static_cast<std::size_t>(edges[i]) * 4)
            return too_much(file, false);
        made.pictures_.push_back({edges[i], edges[i], {pixels.begin(), pixels.end()}});
    }
    return made;
}

Result<IconPictures> IconPictures::open(const std::filesystem::path& file,
                                        const std::filesystem::path& modules, const std::vector<int>& edges,
                                        Store* store) {
    auto hash = store == nullptr ? std::nullopt : file_hash(file.string(), *store);
    std::string key = hash ? Store::key_of(fmt::format("icon pictures {} {} {}", own_program_stamp(),
                                                       hex(*hash), fmt::join(edges, " ")))
                           : "";
    if (auto kept = key.empty() ? std::nullopt : store->find(key))
        if (auto made = from_answer(*kept, file, edges)) return made;
    auto answer = answer_of_process(file, modules, edges);
    if (!answer) return pass_on(answer);
    auto made = from_answer(*answer, file, edges);
    if (made && !key.empty()) store->keep(key, std::move(*answer));
    return made;
}

const Picture& IconPictures::at(int edge) const {
    return *std::ranges::find(pictures_, edge, &Picture::width);
}

} // namespace omnistasis::dress
