#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace omnistasis::python {

/// Writes values in the interpreter's marshal format, version 2: what every version from 3.4 on reads.
class MarshalWriter {
  public:
    void text(std::string_view value);
    void number(std::int64_t value);
    void boolean(bool value) { bytes_ += value ? 'T' : 'F'; }
    void none() { bytes_ += 'N'; }
    void tuple(std::uint32_t size);
    void list(std::uint32_t size);
    void begin_dictionary() { bytes_ += '{'; }
    void end_dictionary() { bytes_ += '0'; }
    const std::string& bytes() const { return bytes_; }

  private:
    void word(std::uint32_t value);
    std::string bytes_;
};

/// Rewrites a marshalled object so that its bytes depend on its value alone. The interpreter marks an object
/// as one that may be referred to later when something else in the process happens to hold it; here just
/// those are marked that are referred to. With a `file_name`, code objects tell that one. Returns an empty
/// string where the bytes are no marshalled object that we know.
std::string canonical_marshal(std::string_view bytes, std::string_view file_name = {});

} // namespace omnistasis::python
