#include "support/late_library.h"

#include <dlfcn.h>

namespace omnistasis {

LateLibrary::LateLibrary(const std::string& file) : handle_(::dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL)) {
    if (handle_ == nullptr) why_ = ::dlerror();
}

void* LateLibrary::address_of(const char* name) {
    void* address = handle_ == nullptr ? nullptr : ::dlsym(handle_, name);
    if (address == nullptr && why_.empty()) why_ = std::string("it has no function ") + name;
    return address;
}

} // namespace omnistasis
