#include "support/output_marker.h"

#include <sstream>

namespace omnistasis {

std::set<std::string> read_output_marker(const fs::path& folder) {
    std::set<std::string> names;
    if (auto text = read_text(folder / output_marker_name)) {
        std::istringstream lines(*text);
        for (std::string line; std::getline(lines, line);)
            if (!line.empty() && line[0] != '#') names.insert(line);
    }
    return names;
}

} // namespace omnistasis
