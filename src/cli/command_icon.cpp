#include "cli/job.h"
#include "dress/icon_files.h"
#include "dress/icon_pictures.h"
#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct IconOptions {
    std::string source;
    std::string output;
    std::string sheet;
    bool quiet = false;
};

std::vector<Picture> pictures_of(const dress::IconPictures& source, const std::vector<int>& edges) {
    std::vector<Picture> pictures;
    for (int edge : edges) pictures.push_back(source.at(edge));
    return pictures;
}

/// Of all systems, the largest first.
std::vector<int> all_edges() {
    std::vector<int> edges;
    for (const auto* list : {&dress::windows_icon_edges, &dress::macos_icon_edges, &dress::linux_icon_edges})
        edges.insert(edges.end(), list->begin(), list->end());
    std::ranges::sort(edges, std::greater<>());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    return edges;
}

/// All sizes beside one another, each in its own pixels, on a chequered ground that shows what is not
/// covered.
Picture sheet_of(const dress::IconPictures& source) {
    std::vector<int> edges = all_edges();
    std::erase_if(edges, [](int edge) { return edge > 512; });
    constexpr int gap = 16, width = 1280;
    struct Placed {
        int edge, x, y;
    };
    std::vector<Placed> placed;
    int x = gap, y = gap, row = 0;
    for (int edge : edges) {
        if (x + edge + gap > width) {
            x = gap;
            y += row + gap;
            row = 0;
        }
        placed.push_back({edge, x, y});
        x += edge + gap;
        row = std::max(row, edge);
    }
    Picture sheet{width, y + row + gap, {}};
    sheet.pixels.resize(static_cast<std::size_t>(sheet.width) * static_cast<std::size_t>(sheet.height) * 4);
    auto at = [&](int column, int line) {
        return sheet.pixels.data() + (static_cast<std::size_t>(line) * static_cast<std::size_t>(sheet.width) +
                                      static_cast<std::size_t>(column)) *
                                         4;
    };
    for (int line = 0; line < sheet.height; ++line)
        for (int column = 0; column < sheet.width; ++column) {
            std::uint8_t grey = (line / 8 + column / 8) % 2 == 0 ? 255 : 238;
            std::fill_n(at(column, line), 3, grey);
            at(column, line)[3] = 255;
        }
    for (const Placed& one : placed) {
        Picture picture = source.at(one.edge);
        for (int line = 0; line < one.edge; ++line)
            for (int column = 0; column < one.edge; ++column) {
                const std::uint8_t* from = picture.pixels.data() + (static_cast<std::size_t>(line) *
                                                                        static_cast<std::size_t>(one.edge) +
                                                                    static_cast<std::size_t>(column)) *
                                                                       4;
                std::uint8_t* to = at(one.x + column, one.y + line);
                for (int channel = 0; channel < 3; ++channel)
                    to[channel] = static_cast<std::uint8_t>(
                        (from[channel] * from[3] + to[channel] * (255 - from[3]) + 127) / 255);
            }
    }
    return sheet;
}

Result<void> write(const fs::path& file, const std::string& content) {
    if (is_folder(file))
        return fail(ErrorKind::bad_input, "a folder is in the way", file.string(), "", "name another file");
    return write_atomically(file, content);
}

Result<void> run_icon(const IconOptions& options) {
    if (options.output.empty() && options.sheet.empty())
        return fail(ErrorKind::usage, "nothing is to be written", "", "neither -o nor --sheet is there",
                    "name a file that ends in .ico, .icns or .png, or a folder: -o app.ico");
    auto installation = build::Installation::find();
    if (!installation) return pass_on(installation);
    auto source = dress::IconPictures::open(options.source, installation->launchers, all_edges());
    if (!source) return pass_on(source);
    fs::path output = options.output;
    std::string ending = output.extension().string();
    std::vector<int> edges;
    int largest = 0;
    if (!options.output.empty()) {
        bool to_folder = is_folder(output) || options.output.ends_with('/') || ending.empty();
        if (ending == ".ico")
            edges = dress::windows_icon_edges;
        else if (ending == ".icns")
            edges = dress::macos_icon_edges;
        else if (ending == ".png")
            edges = {512};
        else if (to_folder)
            edges = dress::linux_icon_edges;
        else
            return fail(ErrorKind::usage, "icons of that kind can't be written", output.string(),
                        fmt::format("`{}` is not .ico, .icns or .png", ending),
                        "a name without an ending is a folder of PNG files");
        largest = *std::ranges::max_element(edges);
        std::vector<Picture> pictures = pictures_of(*source, edges);
        Result<void> done;
        if (to_folder) {
            std::error_code failed;
            fs::create_directories(output, failed);
            if (failed)
                return fail(ErrorKind::unwritable, "can't make the folder", output.string(),
                            failed.message());
            for (const Picture& picture : pictures)
                if (done =
                        write(output / fmt::format("{0}x{0}.png", picture.width), dress::png_bytes(picture));
                    !done)
                    return done;
        } else {
            done = write(output, ending == ".ico"    ? dress::ico_bytes(pictures)
                                 : ending == ".icns" ? dress::icns_bytes(pictures)
                                                     : dress::png_bytes(pictures.front()));
            if (!done) return done;
        }
        std::string sizes;
        for (int edge : edges) sizes += fmt::format("{}{}", sizes.empty() ? "" : ", ", edge);
        say(stdout, "{}  {} pixels\n", styled(output.string(), Style::bold, STDOUT_FILENO), sizes);
    }
    if (!options.sheet.empty()) {
        if (auto done = write(options.sheet, dress::png_bytes(sheet_of(*source))); !done) return done;
        say(stdout, "{}  all sizes up to 512 pixels\n", styled(options.sheet, Style::bold, STDOUT_FILENO));
        largest = std::max(largest, 512);
    }
    if (!options.quiet)
        for (const std::string& remark : dress::icon_remarks(source->facts(), largest))
            say(stderr, "note: {}\n", remark);
    return {};
}

} // namespace

void add_icon_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<IconOptions>();
    CLI::App* command = program.add_subcommand("icon-set", "make icons of all sizes out of one picture");
    command->add_option("SOURCE", options->source, "a picture: SVG, PNG, JPEG, ICO or ICNS")
        ->required()
        ->option_text(" ");
    command
        ->add_option("-o", options->output,
                     "make this: .ico, .icns, .png (512 pixels), or a folder of PNG files")
        ->option_text("FILE|FOLDER");
    command->add_option("--sheet", options->sheet, "also draw all sizes into one picture, to look at")
        ->option_text("FILE.png");
    command->add_flag("-q,--quiet", options->quiet, "print errors and the result only");
    command->footer("Examples:\n"
                    "  omnistasis icon-set tide.svg -o tide.ico\n"
                    "      an icon for Windows, in ten sizes from 16 to 256 pixels\n"
                    "  omnistasis icon-set photo.jpg -o icons/ --sheet look.png\n"
                    "      PNG files for Linux in the folder `icons`, and one picture of all sizes");
    command->callback([options, &exit_code] { exit_code = finish(run_icon(*options)); });
}

} // namespace omnistasis::cli
