#include "dress/icon_files.h"
#include "dress/platform.h"
#include "support/files.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>

namespace omnistasis::dress {

namespace {

/// A value of a desktop entry (Desktop Entry Specification 1.5, "Possible value types").
std::string entry_text(const std::string& text) {
    std::string out;
    for (char c : text) {
        if (c == '\\')
            out += "\\\\";
        else if (c == '\n' || c == '\r' || c == '\t')
            out += ' ';
        else
            out += c;
    }
    return out;
}

/// An argument of `Exec`, in quotes: those have escapes of their own, inside of the value's.
std::string exec_text(const std::string& text) {
    std::string out = "\"";
    for (char c : text) {
        if (c == '"' || c == '`' || c == '$' || c == '\\') out += '\\';
        if (c == '%') out += '%';
        out += c;
    }
    return entry_text(out + "\"");
}

std::string desktop_entry(const Project& project, const std::string& id) {
    std::string text =
        fmt::format("[Desktop Entry]\nType=Application\nVersion=1.0\nName={}\n", entry_text(project.title));
    if (!project.summary.empty() && project.summary != project.title)
        text += fmt::format("Comment={}\n", entry_text(project.summary));
    // The script that adds the entry puts the folder in front.
    text += fmt::format("TryExec=@FOLDER@/{0}\nExec={1}\n", entry_text(project.name),
                        exec_text("@FOLDER@/" + project.name));
    if (!project.icon.empty()) text += fmt::format("Icon={}\n", id);
    text += fmt::format("Terminal={}\n", project.mode == Mode::console ? "true" : "false");
    std::string categories;
    for (const std::string& one : project.linux_categories) categories += one + ";";
    text += fmt::format("Categories={}\n", categories.empty() ? "Utility;" : categories);
    if (project.mode == Mode::window) {
        text += fmt::format("StartupWMClass={}\n",
                            entry_text(project.window_class.empty() ? project.name : project.window_class));
        text += "StartupNotify=false\n";
    }
    return text;
}

/// AppStream 1.0, "Desktop applications" and "Console applications".
std::string app_metadata(const Project& project, const std::string& id) {
    bool window = project.mode == Mode::window;
    std::string text = fmt::format("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<component type=\"{}\">\n",
                                   window ? "desktop-application" : "console-application");
    auto add = [&](const std::string& element, const std::string& value) {
        text +=
            fmt::format("  <{}>{}</{}>\n", element, xml_text(value), element.substr(0, element.find(' ')));
    };
    std::string summary = project.summary.empty() ? project.title : project.summary;
    while (summary.ends_with('.')) summary.pop_back();
    add("id", id);
    add("metadata_license", "CC0-1.0");
    if (!project.licence.empty()) add("project_license", project.licence);
    add("name", project.title);
    add("summary", summary);
    text += fmt::format("  <description>\n    <p>{}</p>\n  </description>\n",
                        xml_text(project.description.empty() ? summary + "." : project.description));
    if (!project.publisher.empty()) {
        std::string developer;
        for (char c : id.substr(0, id.rfind('.'))) developer += c;
        text += fmt::format("  <developer_name>{}</developer_name>\n", xml_text(project.publisher));
    }
    if (!project.homepage.empty()) add("url type=\"homepage\"", project.homepage);
    add("launchable type=\"desktop-id\"", id + ".desktop");
    text += fmt::format("  <provides>\n    <binary>{}</binary>\n  </provides>\n", xml_text(project.name));
    text += "  <content_rating type=\"oars-1.1\"/>\n";
    if (!project.version.empty() && !project.released.empty())
        text += fmt::format("  <releases>\n    <release version=\"{}\" date=\"{}\"/>\n  </releases>\n",
                            xml_text(project.version), xml_text(project.released));
    return text + "</component>\n";
}

/// Adds the entry to the user's menu, and takes it away again.
std::string menu_script(const Project& project, const std::string& id) {
    return fmt::format(R"SH(#!/bin/sh
# Adds {0} to the menu of the user who starts this, or takes it away again:
#   ./menu-entry add      ./menu-entry remove
set -eu
id='{1}'
folder=$(cd -- "$(dirname -- "$0")" && pwd)
data=${{XDG_DATA_HOME:-$HOME/.local/share}}
case "${{1:-}}" in
add)
    mkdir -p "$data/applications" "$data/metainfo"
    for icon in "$folder"/share/icons/hicolor/*/apps/*; do
        [ -f "$icon" ] || continue
        place=${{icon#"$folder/share/"}}
        mkdir -p "$data/${{place%/*}}"
        cp "$icon" "$data/$place"
    done
    cp "$folder/share/metainfo/$id.metainfo.xml" "$data/metainfo/"
    # In Exec the path is quoted: its own quotes, dollars and backslashes are marked twice, percents doubled.
    plain=$(printf '%s' "$folder" | sed 's/[\\]/&&/g')
    quoted=$(printf '%s' "$folder" | sed 's/["`$\\]/\\&/g; s/[\\]/&&/g; s/%/%%/g')
    awk -v plain="$(printf '%s' "$plain" | sed 's/[\\]/&&/g')" -v quoted="$(printf '%s' "$quoted" | sed 's/[\\]/&&/g')" '
        {{ with = /^Exec=/ ? quoted : plain
          at = index($0, "@FOLDER@")
          if (at) $0 = substr($0, 1, at - 1) with substr($0, at + 8)
          print }}' "$folder/share/applications/$id.desktop" >"$data/applications/$id.desktop.new"
    mv "$data/applications/$id.desktop.new" "$data/applications/$id.desktop"
    ;;
remove)
    rm -f "$data/applications/$id.desktop" "$data/metainfo/$id.metainfo.xml" "$data"/icons/hicolor/*/apps/"$id".png "$data/icons/hicolor/scalable/apps/$id.svg"
    ;;
*)
    echo "usage: $0 add | remove" >&2
    exit 2
    ;;
esac
# Menus look again by themselves; where these are there, sooner.
command -v update-desktop-database >/dev/null && update-desktop-database -q "$data/applications" || true
command -v gtk-update-icon-cache >/dev/null && gtk-update-icon-cache -q -t -f "$data/icons/hicolor" 2>/dev/null || true
)SH",
                       project.title, id);
}

class LinuxPlatform : public Platform {
  public:
    Shape shape(const Project& project) const override {
        if (project.form == Form::file) return {project.name, project.name, "", "", "", false};
        return {project.name, project.name + "/" + project.name, project.name + "/tree", "", "tree", false};
    }

    Result<void> check(const Project& project) const override {
        if (project.form == Form::folder &&
            (project.name == "tree" || project.name == "share" || project.name == "menu-entry"))
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` can't be the application's name", project.name),
                        "app.name or --name", "a part of the folder form has that name", "name it otherwise");
        return {};
    }

    Result<std::string> dressed(std::string launcher, const Project&, const IconPictures*) const override {
        return launcher;
    }

    Result<void> finish(const std::filesystem::path& folder, const Project& project, const IconPictures* icon,
                        const std::string&, const EachTreeFile&) const override {
        if (project.form == Form::file) return {};
        fs::path to = folder / project.name;
        std::string id = identifier_of(project);
        std::error_code failed;
        auto write = [&](const fs::path& place, const std::string& content, unsigned mode) -> Result<void> {
            fs::create_directories((to / place).parent_path(), failed);
            return write_new(to / place, as_bytes(content), mode);
        };
        if (auto done =
                write(fmt::format("share/applications/{}.desktop", id), desktop_entry(project, id), 0644);
            !done)
            return done;
        if (auto done =
                write(fmt::format("share/metainfo/{}.metainfo.xml", id), app_metadata(project, id), 0644);
            !done)
            return done;
        if (auto done = write("menu-entry", menu_script(project, id), 0755); !done) return done;
        if (icon == nullptr) return {};
        for (int edge : linux_icon_edges) {
            std::string place = fmt::format("share/icons/hicolor/{0}x{0}/apps/{1}.png", edge, id);
            if (auto done = write(place, png_bytes(icon->at(edge)), 0644); !done) return done;
        }
        if (icon->facts().kind != IconKind::svg) return {};
        auto drawing = read_text(project.folder / project.icon);
        if (!drawing) return pass_on(drawing);
        return write(fmt::format("share/icons/hicolor/scalable/apps/{}.svg", id), *drawing, 0644);
    }

    const std::vector<int>& icon_edges() const override { return linux_icon_edges; }
};

} // namespace

const Platform& linux_platform() {
    static const LinuxPlatform platform;
    return platform;
}

} // namespace omnistasis::dress
