// The web client, as a module of its own that is loaded when a team's store is used: it brings libraries for
// encryption and compression, for which every start of the program would wait.

#include "support/http_module.h"

#include <chrono>
#include <cstring>
#include <httplib.h>

namespace {

std::string words_of(httplib::Error error) {
    switch (error) {
    case httplib::Error::Connection:
    case httplib::Error::ConnectionTimeout:
        return "no answer";
    case httplib::Error::Read:
        return "the answer did not come, or broke off";
    case httplib::Error::Write:
        return "it does not take what is sent";
    case httplib::Error::SSLConnection:
        return "no encrypted connection comes about";
    case httplib::Error::SSLLoadingCerts:
    case httplib::Error::SSLServerVerification:
        return "this system does not trust its certificate";
    default:
        return httplib::to_string(error);
    }
}

/// The status, or why there is none.
int status_of(const httplib::Result& answer, char* why) {
    if (answer) return answer->status;
    std::strncpy(why, words_of(answer.error()).c_str(), http_why_size - 1);
    why[http_why_size - 1] = '\0';
    return -1;
}

} // namespace

void* http_open(const char* server) {
    auto client = std::make_unique<httplib::Client>(server);
    if (!client->is_valid()) return nullptr;
    client->set_connection_timeout(std::chrono::seconds(2));
    client->set_read_timeout(std::chrono::seconds(10));
    client->set_write_timeout(std::chrono::seconds(10));
    client->set_keep_alive(true);
    client->set_tcp_nodelay(true); // many small objects, each of which waits for its answer
    return client.release();
}

void http_close(void* client) { delete static_cast<httplib::Client*>(client); }

int http_get(void* client, const char* path, int (*take)(void* taker, const char* data, unsigned long size),
             void* taker, char* why) {
    return status_of(
        static_cast<httplib::Client*>(client)->Get(
            path, [&](const char* data, std::size_t size) { return take(taker, data, size) != 0; }),
        why);
}

int http_put(void* client, const char* path, const char* content, unsigned long size, char* why) {
    return status_of(
        static_cast<httplib::Client*>(client)->Put(path, content, size, "application/octet-stream"), why);
}
