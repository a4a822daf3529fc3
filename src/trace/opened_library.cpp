#include "trace/opened_library.h"

#include "native/elf_reader.h"
#include "native/loader_cache.h"
#include "support/files.h"

namespace omnistasis::trace {

namespace {

Unit library(const std::string& file, const std::string& place) {
    return {UnitKind::native, place, file, place, false};
}

} // namespace

bool want_opened_library(const std::string& name, const Reason& reason, Expansion& out) {
    static const native::LoaderCache libraries = native::LoaderCache::read();
    std::string full = name;
    // "libx.so" is a link that only those who build against the library have.
    if (!is_library_name(name))
        full = libraries.full_name(name);
    else if (name.ends_with(".so") && libraries.find(name).empty())
        full = libraries.full_name(name.substr(3, name.size() - 6));
    const std::vector<std::string>& found = libraries.find(full);
    std::string real = found.empty() ? std::string() : real_path(found.front());
    if (real.empty()) return false;
    out.needs.push_back({library(real, "lib/" + full), reason});
    // A link's name is for this call only: other libraries ask for it by its own.
    if (!full.ends_with(".so")) return true;
    auto mapped = MappedFile::open(real);
    auto elf = mapped ? native::read_elf(mapped->bytes(), real) : pass_on(mapped);
    if (elf && !elf->soname.empty() && elf->soname != full)
        out.needs.push_back({library(real, "lib/" + elf->soname), reason});
    return true;
}

} // namespace omnistasis::trace
