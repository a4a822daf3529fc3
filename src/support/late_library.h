#pragma once

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

} // namespace omnistasis
