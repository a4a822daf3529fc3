// The executable that is running, and how a launcher says that it can't go on.
#pragma once

#include "exit_codes.h"
#include "payload_reader.h"

namespace omnistasis::launcher {

/// The executable that is running, opened, with what its payload says.
struct Self {
    int descriptor = -1;
    uint64_t size = 0;
    payload::Trailer trailer;
    payload::Head head;
};

/// Why the application can't be started.
struct Failure {
    int exit_code = 0;
    char text[600] = {};
};

/// Fills in the failure: "what where: the system's reason", the last only with an error number. False.
bool set(Failure& failure, int code, const char* what, const char* where, int error_number);

/// The running executable's bytes; null where it can't be mapped. Stays mapped.
const uint8_t* map_self(const Self& self);

/// Reads the index, checked against the hashes above it, into memory that is never freed.
bool load_index(const Self& self, const uint8_t* mapped, payload::Index& index, Failure& failure);

/// Whether what no start reads is what the head says: the launcher in front of the payload, and the list of
/// parts. Fields that are not there say nothing.
bool is_rest_whole(const Self& self, const uint8_t* mapped);

} // namespace omnistasis::launcher
