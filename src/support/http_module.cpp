// The web client, as a module of its own that is loaded when a team's store is used: it brings libraries for
// encryption and compression, for which every start of the program would wait.

#include "support/http_module.h"

#include <algorithm>
#include <cstddef>
#include <cstring>
#include <curl/curl.h>
#include <string>

namespace {

// What a server may take of our time and memory, whatever it sends.
constexpr long connect_seconds = 2;
constexpr long slow_seconds = 10, slow_bytes = 1000; ///< fewer a second for as long: it hangs
constexpr long most_seconds = 60;                    ///< for one answer
constexpr std::size_t most_head = 64u << 10;         ///< bytes of heads, those of interim answers among them

struct Client {
    CURL* handle = nullptr;
    std::string server;
};

struct Request {
    int (*take)(void* taker, const char* data, unsigned long size) = nullptr;
    void* taker = nullptr;
    std::size_t head = 0; ///< bytes so far
    const char* rest = nullptr;
    std::size_t rest_size = 0; ///< of what is sent
};

std::size_t take_head(char*, std::size_t, std::size_t size, void* request) {
    std::size_t& head = static_cast<Request*>(request)->head;
    head += size;
    return head <= most_head ? size : 0;
}

std::size_t take_body(char* data, std::size_t, std::size_t size, void* request) {
    auto* to = static_cast<Request*>(request);
    return to->take == nullptr || to->take(to->taker, data, size) != 0 ? size : 0;
}

std::size_t give_body(char* room, std::size_t, std::size_t size, void* request) {
    auto* from = static_cast<Request*>(request);
    std::size_t count = std::min(size, from->rest_size);
    std::memcpy(room, from->rest, count);
    from->rest += count;
    from->rest_size -= count;
    return count;
}

std::string words_of(CURLcode code, const Request& request) {
    if (request.head > most_head) return "it sends heads without end";
    switch (code) {
    case CURLE_COULDNT_RESOLVE_HOST:
    case CURLE_COULDNT_RESOLVE_PROXY:
    case CURLE_COULDNT_CONNECT:
        return "no answer";
    case CURLE_OPERATION_TIMEDOUT:
        return "it is too slow";
    case CURLE_GOT_NOTHING:
    case CURLE_PARTIAL_FILE:
    case CURLE_RECV_ERROR:
        return "the answer did not come, or broke off";
    case CURLE_SEND_ERROR:
        return "it does not take what is sent";
    case CURLE_SSL_CONNECT_ERROR:
        return "no encrypted connection comes about";
    case CURLE_PEER_FAILED_VERIFICATION:
    case CURLE_SSL_CACERT_BADFILE:
        return "this system does not trust its certificate";
    default:
        return curl_easy_strerror(code);
    }
}

/// The status, or why there is none.
int perform(Client& client, const char* path, Request& request, char* why) {
    CURL* handle = client.handle;
    std::string url = client.server + path;
    curl_easy_setopt(handle, CURLOPT_URL, url.c_str());
    curl_easy_setopt(handle, CURLOPT_HEADERDATA, &request);
    curl_easy_setopt(handle, CURLOPT_WRITEDATA, &request);
    curl_easy_setopt(handle, CURLOPT_READDATA, &request);
    CURLcode code = curl_easy_perform(handle);
    long status = -1;
    if (code == CURLE_OK) {
        curl_easy_getinfo(handle, CURLINFO_RESPONSE_CODE, &status);
        return static_cast<int>(status);
    }
    std::string words = words_of(code, request);
    std::strncpy(why, words.c_str(), http_why_size - 1);
    why[http_why_size - 1] = '\0';
    return -1;
}

} // namespace

void* http_open(const char* server) {
    static const CURLcode started = curl_global_init(CURL_GLOBAL_DEFAULT);
    CURLU* address = started == CURLE_OK ? curl_url() : nullptr;
    bool is_address = address != nullptr && curl_url_set(address, CURLUPART_URL, server, 0) == CURLUE_OK;
    curl_url_cleanup(address);
    CURL* handle = is_address ? curl_easy_init() : nullptr;
    if (handle == nullptr) return nullptr;
    curl_easy_setopt(handle, CURLOPT_PROTOCOLS_STR, "http,https");
    curl_easy_setopt(handle, CURLOPT_HTTP_VERSION, CURL_HTTP_VERSION_1_1);
    curl_easy_setopt(handle, CURLOPT_NOSIGNAL, 1L); // there are threads
    curl_easy_setopt(handle, CURLOPT_CONNECTTIMEOUT, connect_seconds);
    curl_easy_setopt(handle, CURLOPT_TIMEOUT, most_seconds);
    curl_easy_setopt(handle, CURLOPT_LOW_SPEED_TIME, slow_seconds);
    curl_easy_setopt(handle, CURLOPT_LOW_SPEED_LIMIT, slow_bytes);
    curl_easy_setopt(handle, CURLOPT_HEADERFUNCTION, take_head);
    curl_easy_setopt(handle, CURLOPT_WRITEFUNCTION, take_body);
    curl_easy_setopt(handle, CURLOPT_READFUNCTION, give_body);
    return new Client{handle, server};
}

void http_close(void* client) {
    auto* ours = static_cast<Client*>(client);
    curl_easy_cleanup(ours->handle);
    delete ours;
}

int http_get(void* client, const char* path, int (*take)(void* taker, const char* data, unsigned long size),
             void* taker, char* why) {
    auto& ours = *static_cast<Client*>(client);
    Request request{take, taker};
    curl_easy_setopt(ours.handle, CURLOPT_HTTPGET, 1L);
    return perform(ours, path, request, why);
}

int http_put(void* client, const char* path, const char* content, unsigned long size, char* why) {
    auto& ours = *static_cast<Client*>(client);
    Request request;
    request.rest = content;
    request.rest_size = size;
    curl_easy_setopt(ours.handle, CURLOPT_UPLOAD, 1L);
    curl_easy_setopt(ours.handle, CURLOPT_INFILESIZE_LARGE, static_cast<curl_off_t>(size));
    curl_slist* heads = curl_slist_append(nullptr, "Content-Type: application/octet-stream");
    heads = curl_slist_append(heads, "Expect:"); // no round trip before each
    curl_easy_setopt(ours.handle, CURLOPT_HTTPHEADER, heads);
    int status = perform(ours, path, request, why);
    curl_easy_setopt(ours.handle, CURLOPT_HTTPHEADER, nullptr);
    curl_easy_setopt(ours.handle, CURLOPT_UPLOAD, 0L);
    curl_slist_free_all(heads);
    return status;
}
