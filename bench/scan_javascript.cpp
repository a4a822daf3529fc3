// Scans the files that are named and says how many bytes and seconds that took, without reading them from disk.
#include "runtimes/node/scanner.h"
#include "support/files.h"

#include <chrono>
#include <fmt/format.h>
#include <string>
#include <vector>

int main(int count, char** arguments) {
    std::vector<std::string> sources;
    for (int i = 1; i < count; ++i)
        if (auto text = omnistasis::read_text(arguments[i])) sources.push_back(std::move(*text));
    std::size_t bytes = 0, requests = 0;
    auto start = std::chrono::steady_clock::now();
    for (const std::string& source : sources) {
        bytes += source.size();
        requests += omnistasis::node::scan(source).requests.size();
    }
    std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    fmt::print("{} {} {}\n", bytes, took.count(), requests);
}
