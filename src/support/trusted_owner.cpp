#include "support/trusted_owner.h"

#include <cstdlib>
#include <fmt/format.h>
#include <pwd.h>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis {

namespace {

bool is_listed(uid_t user) {
    const char* listed = std::getenv("OMNISTASIS_TRUSTED_OWNERS");
    std::string text = fmt::format(",{},", listed != nullptr ? listed : "");
    return text.find(fmt::format(",{},", user)) != std::string::npos;
}

std::string name_of(uid_t user) {
    const passwd* known = ::getpwuid(user);
    return known != nullptr ? fmt::format("{} ({})", known->pw_name, user) : fmt::format("{}", user);
}

} // namespace

Result<void> check_owner(const fs::path& file, const std::string& what) {
    for (bool follows : {false, true}) {
        struct stat status {};
        if ((follows ? ::stat(file.c_str(), &status) : ::lstat(file.c_str(), &status)) != 0) continue;
        uid_t owner = status.st_uid;
        if (owner == ::geteuid() || owner == 0 || is_listed(owner)) continue;
        return fail(
            ErrorKind::bad_input, what + " is another user's", file,
            fmt::format("it belongs to {}, who could have any program started as you", name_of(owner)),
            fmt::format("build as that user, take it over with chown, or, if you trust them, set "
                        "OMNISTASIS_TRUSTED_OWNERS={}",
                        owner));
    }
    return {};
}

} // namespace omnistasis
