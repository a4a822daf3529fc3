// A launcher of signed applications starts nothing that is not signed with the publisher's key.
#pragma once

#include "payload_reader.h"

namespace omnistasis::launcher {

/// Whether the head has the signature that this launcher wants. One that was built without a key wants none.
bool is_signature_right(const payload::Head& head);

} // namespace omnistasis::launcher
