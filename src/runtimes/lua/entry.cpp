#include "runtimes/lua/lua_facts.h"
#include "runtimes/lua/lua_language.h"
#include "support/files.h"

namespace omnistasis::lua {

namespace {

/// Compiled code of the reference interpreter and of LuaJIT begins so.
bool is_compiled(std::string_view text) { return text.starts_with("\x1BLua") || text.starts_with("\x1BLJ"); }

} // namespace

bool is_lua_source(const std::filesystem::path& file) {
    if (file.extension() == ".lua") return true;
    if (!interpreter_named_in(file).empty()) return true;
    auto text = MappedFile::open(file);
    return text && is_compiled(text->text());
}

Result<bool> settle_entry(Project& project) {
    if (project.entry.empty()) return false;
    fs::path file = project.folder / project.entry;
    if (!is_file(file) || !is_lua_source(file)) return false;
    // A command that the system's packages or a tree of LuaRocks installed: the folder around it is nobody's.
    std::string real = real_path(file.string());
    std::string folder = parent_folder_of(real);
    if (project.project_file.empty() && (folder == "/usr/bin" || folder == "/usr/local/bin")) {
        project.is_installed = true;
        project.folder = folder;
        project.entry = base_name(real);
    }
    if (project.name.empty()) {
        fs::path name = file.filename();
        project.name = (name.extension() == ".lua" ? name.stem() : name).string();
    }
    return true;
}

std::vector<Recognised> recognise_runtimes(const std::filesystem::path&) { return {}; }

} // namespace omnistasis::lua
