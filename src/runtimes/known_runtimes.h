#pragma once

#include "runtimes/stock.h"
#include "support/error.h"

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace omnistasis {

/// A package of a registry that holds a whole runtime, as data/runtimes/known.toml names it.
struct KnownRuntime {
    std::string language;
    std::string target;
    std::string version; ///< of the runtime
    std::string client;  ///< that brings it: "pip", "npm", "mvn", "apt"
    std::string package; ///< of apt several, with blanks between them
    std::string package_version;
    std::string classifier; ///< of Maven's packages of one version; the architecture of Debian's; else empty
    std::string sha256;     ///< of the file that the client brings; empty of apt, which checks it itself
};

/// All of them, the newest of each language and target last. `data` is Omnistasis's folder of data.
Result<std::vector<KnownRuntime>> known_runtimes(const std::filesystem::path& data);

/// The one for a target whose version begins with `version`: the newest for an empty one.
Result<KnownRuntime> choose_runtime(const std::vector<KnownRuntime>& known, const std::string& language,
                                    const std::string& target, const std::string& version);

/// Has the client bring it, compares the file with what is known of it, and adds it to the stock. `tell`
/// hears the command that is run.
Result<StockedRuntime> fetch_runtime(const KnownRuntime& runtime, const RuntimeStock& stock,
                                     const std::function<void(const std::string&)>& tell);

} // namespace omnistasis
