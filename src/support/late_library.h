#pragma once

#include "support/error.h"

#include <string>

namespace omnistasis {

/// A shared library that is loaded when it is needed, and stays until the program ends (dlopen(3)).
class LateLibrary {
  public:
    /// `file`: a path, or a name that the dynamic loader looks for.
    explicit LateLibrary(const std::string& file);

    /// Sets a pointer to the library's function of that name; null where there is none.
    template <typename Function> void find(Function*& function, const char* name) {
        function = reinterpret_cast<Function*>(address_of(name));
    }

    bool is_loaded() const { return handle_ != nullptr; }

    /// Why it can't be used: it is not there, or a function was not found. Empty where all is well.
    const std::string& why() const { return why_; }

  private:
    void* address_of(const char* name);

    void* handle_;
    std::string why_;
};

/// A table of a library's functions, which `fill` finds when the table is first asked for; an error that
/// names the `package` where it is not installed. `what` can't be done then.
template <typename Table, typename Fill>
Result<const Table*> loaded_once(const char* file, const char* what, const char* package, Fill fill) {
    static Table table;
    static const std::string why = [&] {
        LateLibrary late(file);
        fill(late, table);
        return late.why();
    }();
    if (!why.empty())
        return fail(ErrorKind::missing, what, file, why, std::string("install the package ") + package);
    return &table;
}

} // namespace omnistasis
