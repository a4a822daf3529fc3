#pragma once

#include <string>
#include <tl/expected.hpp>
#include <utility>

namespace omnistasis {

/// Who can do something about an error; each kind has its exit code (docs/exit-codes.md).
enum class ErrorKind {
    refused,    ///< the job's own answer is no (exit code 1)
    usage,      ///< the command line is wrong (2)
    bad_input,  ///< a file or a value that we were given is wrong (3)
    unreadable, ///< a file can't be read (3)
    missing,    ///< something is not there on this machine, or may not be used (4)
    unwritable, ///< a file or folder can't be written, made or removed (4)
    fault,      ///< a fault of ours (70)
};

/// A failure as a value. Its four texts answer the four questions that a person has; `what` is a sentence
/// without a full stop, the others may be empty.
struct Error {
    ErrorKind kind = ErrorKind::fault;
    std::string what;  ///< what happened
    std::string where; ///< file, or file:line, or file:line:column
    std::string why;   ///< the reason behind it
    std::string hint;  ///< what to try
};

template <typename T> using Result = tl::expected<T, Error>;

inline tl::unexpected<Error> fail(ErrorKind kind, std::string what, std::string where = {},
                                  std::string why = {}, std::string hint = {}) {
    return tl::make_unexpected(
        Error{kind, std::move(what), std::move(where), std::move(why), std::move(hint)});
}

/// Passes the failure of a result on to the caller: `if (!file) return pass_on(file);`
template <typename T, typename E> tl::unexpected<E> pass_on(const tl::expected<T, E>& failed) {
    return tl::make_unexpected(failed.error());
}

} // namespace omnistasis
