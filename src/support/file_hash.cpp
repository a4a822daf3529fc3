#include "support/file_hash.h"

#include "support/own_program.h"
#include "support/witness.h"

#include <algorithm>
#include <ctime>
#include <sys/stat.h>

namespace omnistasis {

namespace {

constexpr std::int64_t clock_grain = 50'000'000; // nanoseconds

std::int64_t nanoseconds(const timespec& time) { return time.tv_sec * 1'000'000'000 + time.tv_nsec; }

} // namespace

bool has_settled(const std::string& file) {
    struct stat status {};
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    return ::stat(file.c_str(), &status) == 0 &&
           nanoseconds(now) - std::max(nanoseconds(status.st_mtim), nanoseconds(status.st_ctim)) >
               clock_grain;
}

std::optional<Sha256> file_hash(const std::string& file, Store& store) {
    std::string key = Store::key_of("hash " + file_stamp(file) + '\0' + file);
    Sha256 hash{};
    Witness::saw(file);
    if (auto known = store.find(key); known && known->size() == hash.size()) {
        std::copy(known->begin(), known->end(), reinterpret_cast<char*>(hash.data()));
        return hash;
    }
    bool settled = has_settled(file);
    auto mapped = MappedFile::open(file);
    if (!mapped) return std::nullopt;
    hash = sha256(mapped->bytes());
    if (settled) store.keep(key, std::string(reinterpret_cast<const char*>(hash.data()), hash.size()));
    return hash;
}

} // namespace omnistasis
