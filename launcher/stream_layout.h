// Where the contents of a payload lie in the stream that its blocks make up (docs/payload-format.md).
#pragma once

#include "payload_reader.h"

namespace omnistasis::launcher {

/// Contents stand one behind the other, and blocks cut that stream up without regard for them. Several files
/// may have one content.
struct StreamLayout {
    payload::File* files = nullptr; ///< by content number
    uint32_t file_count = 0;
    uint32_t content_count = 0;
    uint64_t* content_start = nullptr; ///< in the stream; one more entry than contents
    uint64_t* block_start = nullptr;   ///< in the stream; one more entry than blocks
    uint32_t* first_file = nullptr;    ///< of each content; one more entry than contents

    /// Fills it in, into memory that is never freed. False where there is not enough.
    bool make(const payload::Index& index);

    /// The first content that ends behind `position`.
    uint32_t content_at(uint64_t position) const;

    /// What a stretch of the stream holds of a content.
    struct Part {
        uint64_t in_stretch = 0; ///< where it begins in the stretch
        uint64_t in_content = 0; ///< and in the content
        size_t size = 0;
    };
    Part part_of(uint32_t content, uint64_t start, uint64_t end) const;
};

} // namespace omnistasis::launcher
