#include "dress/icon_files.h"
#include "dress/pe_resources.h"
#include "dress/platform.h"
#include "support/letter_case.h"
#include "support/near_match.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::dress {

namespace {

/// Names that the system keeps for devices, whatever their ending.
constexpr std::array<std::string_view, 22> device_names{
    "con",  "prn",  "aux",  "nul",  "com1", "com2", "com3", "com4", "com5", "com6", "com7",
    "com8", "com9", "lpt1", "lpt2", "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9"};

std::string manifest_level(Elevation elevation) {
    switch (elevation) {
    case Elevation::caller:
        return "asInvoker";
    case Elevation::highest:
        return "highestAvailable";
    case Elevation::administrator:
        return "requireAdministrator";
    }
    return "asInvoker";
}

/// What the project wants the system to be told of the running program.
ManifestSettings settings_of(const WindowsSettings& windows) {
    ManifestSettings settings;
    if (windows.code_page == CodePage::utf8) settings.push_back({"activeCodePage", "2019", "UTF-8"});
    if (windows.scaling == Scaling::runtime) return settings;
    // The first for systems older than Windows 10 of 2016, the second for others.
    bool by_monitor = windows.scaling == Scaling::monitor;
    bool by_system = windows.scaling == Scaling::system;
    settings.push_back({"dpiAware", "2005", by_monitor ? "true/pm" : by_system ? "true" : "false"});
    settings.push_back({"dpiAwareness", "2016",
                        by_monitor  ? "PerMonitorV2"
                        : by_system ? "system"
                                    : "unaware"});
    return settings;
}

/// The system starts files with this ending alone.
std::string file_name(const std::string& name) { return name.ends_with(".exe") ? name : name + ".exe"; }

class WindowsPlatform : public Platform {
  public:
    Shape shape(const Project& project) const override {
        std::string file = file_name(project.name);
        if (project.form == Form::file) return {file, file, "", "", "", false};
        return {project.name, project.name + "/" + file, project.name + "/tree", "", "tree", false};
    }

    Result<void> check(const Project& project) const override {
        std::string name = lower_case(project.name.substr(0, project.name.find('.')));
        if (std::ranges::find(device_names, name) != device_names.end() || project.name.ends_with('.') ||
            project.name.ends_with(' '))
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` can't be a program's name on Windows", project.name),
                        "app.name or --name", "the system keeps it for a device, or drops its end",
                        "name it otherwise");
        if (!version_numbers(project.version))
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` is no version that Windows knows", project.version), "app.version",
                        "up to four numbers below 65536 with dots between them are",
                        "write it as 1.4.0, or 1.4.0-beta with a remark behind the numbers");
        for (const LanguageTexts& texts : project.windows.languages)
            if (language_identifier(texts.language) == 0) {
                auto near = near_matches(texts.language, known_languages());
                return fail(ErrorKind::bad_input,
                            fmt::format("`{}` is no language that is known", texts.language), texts.where, "",
                            near.empty() ? fmt::format("known are {}", fmt::join(known_languages(), ", "))
                                         : fmt::format("did you mean {}?", fmt::join(near, " or ")));
            }
        return {};
    }

    Result<std::string> dressed(std::string launcher, const Project& project,
                                const IconPictures* icon) const override {
        return with_resources(std::move(launcher), dress_of(project, icon));
    }

    std::string dressed_program(std::string program, const Project& project,
                                const IconPictures* icon) const override {
        return with_other_resources(std::move(program), dress_of(project, icon));
    }

    bool dresses_programs() const override { return true; }

    Result<void> finish(const std::filesystem::path& folder, const Project& project, const IconPictures*,
                        const std::string&, const EachTreeFile&) const override {
        return write_pe_checksum(folder / shape(project).executable);
    }

    const std::vector<int>& icon_edges() const override { return windows_icon_edges; }

  private:
    static PeDress dress_of(const Project& project, const IconPictures* icon) {
        PeDress dress;
        if (icon != nullptr)
            for (int edge : windows_icon_edges) dress.icons.push_back(icon->at(edge));
        dress.version = version_numbers(project.version).value_or(dress.version);
        dress.is_window = project.mode == Mode::window;
        std::map<std::string, std::string> fields{
            {"FileDescription", project.title},
            {"ProductName", project.title},
            {"InternalName", project.name},
            {"OriginalFilename", file_name(project.name)},
            {"FileVersion", project.version.empty() ? "0.0.0" : project.version},
            {"ProductVersion", project.version.empty() ? "0.0.0" : project.version},
            {"CompanyName", project.publisher},
            {"LegalCopyright", project.windows.copyright},
            {"Comments", project.windows.comments.empty() ? project.summary : project.windows.comments}};
        std::erase_if(fields, [](const auto& field) { return field.second.empty(); });
        dress.texts.push_back({language_identifier("en-US"), fields});
        for (const LanguageTexts& texts : project.windows.languages) {
            auto translated = fields;
            if (!texts.title.empty()) translated["FileDescription"] = translated["ProductName"] = texts.title;
            if (!texts.summary.empty()) translated["Comments"] = texts.summary;
            std::uint16_t language = language_identifier(texts.language);
            if (language == dress.texts.front().language)
                dress.texts.front().fields = std::move(translated);
            else
                dress.texts.push_back({language, std::move(translated)});
        }
        dress.settings = settings_of(project.windows);
        dress.manifest = application_manifest(identifier_of(project), dress.version, project.title,
                                              manifest_level(project.windows.elevation),
                                              find_target(project.targets.front())->manifest_word);
        return dress;
    }
};

} // namespace

const Platform& windows_platform() {
    static const WindowsPlatform platform;
    return platform;
}

} // namespace omnistasis::dress
