#include "support/web_client.h"

#include "support/http_module.h"
#include "support/late_library.h"
#include "support/own_program.h"

#include <array>

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
    LateLibrary late((own_modules() / "http.so").string());
    late.find(module.open, "http_open");
    late.find(module.close, "http_close");
    late.find(module.get, "http_get");
    late.find(module.put, "http_put");
    module.why = late.why();
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
                    module().why, "install the package libcurl4");
    auto client = std::make_unique<WebClient>();
    client->client_.reset(module().open(server.c_str()));
    if (!client->client_)
        return fail(ErrorKind::bad_input, "this is not the address of a web server", server);
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
