#include "support/web_client.h"

#include "support/http_module.h"
#include "support/own_program.h"

#include <array>
#include <dlfcn.h>

namespace omnistasis {

namespace {

struct Module {
    decltype(&::http_open) open = nullptr;
    decltype(&::http_close) close = nullptr;
    decltype(&::http_get) get = nullptr;
    decltype(&::http_put) put = nullptr;
    std::string why; ///< it can't be used
};

Module load() {
    Module module;
    void* handle = ::dlopen((own_modules() / "http.so").c_str(), RTLD_NOW | RTLD_LOCAL);
    if (handle == nullptr) {
        module.why = ::dlerror();
        return module;
    }
    module.open = reinterpret_cast<decltype(module.open)>(::dlsym(handle, "http_open"));
    module.close = reinterpret_cast<decltype(module.close)>(::dlsym(handle, "http_close"));
    module.get = reinterpret_cast<decltype(module.get)>(::dlsym(handle, "http_get"));
    module.put = reinterpret_cast<decltype(module.put)>(::dlsym(handle, "http_put"));
    if (module.open == nullptr || module.close == nullptr || module.get == nullptr || module.put == nullptr)
        module.why = "the module is not ours";
    return module;
}

const Module& module() {
    static const Module loaded = load();
    return loaded;
}

using Why = std::array<char, http_why_size>;

WebClient::Answer answer_of(int status, const Why& why) {
    return {status, status < 0 ? std::string(why.data()) : std::string()};
}

} // namespace

void WebClient::Close::operator()(void* client) const { module().close(client); }

Result<std::unique_ptr<WebClient>> WebClient::open(const std::string& server) {
    if (!module().why.empty())
        return fail(ErrorKind::missing, "can't use the web", (own_modules() / "http.so").string(),
                    module().why, "install the package libcpp-httplib0.11");
    auto client = std::make_unique<WebClient>();
    client->client_.reset(module().open(server.c_str()));
    if (!client->client_) return fail(ErrorKind::bad_input, "this is no address of a web server", server);
    return client;
}

WebClient::Answer WebClient::get(const std::string& path, const std::function<bool(std::string_view)>& take) {
    Why why{};
    auto pass = [](void* taker, const char* data, unsigned long size) -> int {
        return (*static_cast<const std::function<bool(std::string_view)>*>(taker))({data, size});
    };
    int status = module().get(client_.get(), path.c_str(), pass,
                              const_cast<std::function<bool(std::string_view)>*>(&take), why.data());
    return answer_of(status, why);
}

WebClient::Answer WebClient::put(const std::string& path, std::string_view content) {
    Why why{};
    int status = module().put(client_.get(), path.c_str(), content.data(), content.size(), why.data());
    return answer_of(status, why);
}

} // namespace omnistasis
