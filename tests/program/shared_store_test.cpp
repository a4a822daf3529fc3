// A team's store on a real web server.
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

/// A web server with WebDAV in the workshop's folder, which ends with it.
struct Team : Workshop {
    explicit Team(const std::string& name) : Workshop(name) {
        write("h.py", "import json, decimal\nprint(json.dumps(str(decimal.Decimal(2))))\n");
        write("data.txt", std::string(300000, 't'));
        port = shell("python3 -c 'import socket; s = socket.socket(); s.bind((\"127.0.0.1\", 0)); "
                     "print(s.getsockname()[1], end=\"\")'")
                   .out;
        write("nginx.conf", "daemon on; pid nginx.pid; error_log error.log; worker_processes 1;\n"
                            "events {}\nhttp { access_log access.log; client_max_body_size 100m;\n"
                            "client_body_temp_path body; proxy_temp_path p; fastcgi_temp_path f; "
                            "uwsgi_temp_path u; scgi_temp_path s;\n"
                            "server { listen 127.0.0.1:" +
                                port + "; root \"" + folder().string() +
                                "/served\"; location / { dav_methods PUT; create_full_put_path on; } } }\n");
        shell("mkdir -m 777 served body; chmod 755 .");
        auto started = shell("PATH=$PATH:/usr/sbin nginx -p \"$PWD\" -c nginx.conf -g 'user root;'");
        INFO(started.err);
        REQUIRE(started.exit_code == 0);
    }
    ~Team() { stop(); }
    void stop() { shell("test -f nginx.pid && kill $(cat nginx.pid); while test -f nginx.pid; do :; done"); }

    /// A build on a machine of its own, as far as its caches go.
    ProgramOutput build(const std::string& machine, const std::string& secret = "",
                        const std::string& more = "") {
        return shell(
            "export XDG_CACHE_HOME=\"$PWD/" + machine +
            "\" OMNISTASIS_SHARED_STORE=http://127.0.0.1:" + port + "/store/" +
            (secret.empty() ? "" : " OMNISTASIS_SHARED_STORE_SECRET=\"$PWD/" + secret + "\"") + "; '" +
            OMNISTASIS_PROGRAM
            "' build h.py --asset data.txt --without own-files --compress fast --runtime /usr/bin/python3 "
            "--out 'out " +
            machine + "' " + more);
    }
    std::string output(const std::string& machine) {
        return read_text(path("out " + machine + "/h")).value_or("");
    }
    /// Requests since the last call that the server answered so.
    std::string requests(const std::string& method, const std::string& status) {
        std::string count = shell("grep -c '\"" + method + " .*\" " + status + " ' access.log").out;
        return count;
    }
    std::string port;
};

} // namespace

TEST_CASE("machines that share a store do the same work once") {
    Team team("shared");
    auto first = team.build("one");
    INFO(first.err);
    REQUIRE(first.exit_code == 0);
    CHECK(team.requests("PUT", "201") != "0\n");
    CHECK(team.requests("GET", "200") == "0\n");
    REQUIRE(team.build("two").exit_code == 0);
    int without_bytecode = std::stoi(team.requests("GET", "200"));
    CHECK(without_bytecode > 0);
    CHECK(team.output("two") == team.output("one"));
    CHECK(team.shell("'./out two/h'").out == "\"2\"\n");
    // What is in the machine's own store is not asked for again.
    std::string before = team.requests("GET", "...");
    team.shell("touch h.py");
    REQUIRE(team.build("two").exit_code == 0);
    CHECK(team.requests("GET", "...") == before);
    // Bytecode can't be checked by whoever gets it, so it is shared between those who have the secret.
    team.write("secret", "between us");
    team.shell("rm access.log; kill -USR1 $(cat nginx.pid); until [ -e access.log ]; do sleep 0.01; done; "
               "rm -r served/store");
    REQUIRE(team.build("three", "secret").exit_code == 0);
    REQUIRE(team.build("four", "secret").exit_code == 0);
    CHECK(std::stoi(team.requests("GET", "200")) > without_bytecode);
    CHECK(team.output("four") == team.output("one"));
}

TEST_CASE("a server that lies, answers nonsense or is not there breaks no build") {
    Team team("lying");
    team.write("secret", "between us");
    team.write("other", "of somebody else");
    REQUIRE(team.build("one", "secret").exit_code == 0);
    std::string right = team.output("one");
    auto check = [&](const std::string& machine, const std::string& secret = "secret") {
        auto built = team.build(machine, secret);
        INFO(built.err);
        CHECK(built.exit_code == 0);
        CHECK(team.output(machine) == right);
        return built.err;
    };
    // With another secret nothing fits.
    check("stranger", "other");
    // Each object is another one, or cut off, or nonsense, or endless.
    team.shell(
        "cd served/store; last=; for f in */*; do test -n \"$last\" && cp \"$f\" \"$last\"; last=$f; done");
    check("swapped");
    team.shell("cd served/store; for f in */*; do truncate -s 50 \"$f\"; done");
    check("cut");
    team.shell("cd served/store; for f in */*; do echo nonsense > \"$f\"; done");
    check("nonsense");
    team.shell("cd served/store; for f in */*; do truncate -s 3G \"$f\"; done");
    check("endless");
    // It takes nothing.
    team.shell("rm -r served/store; touch served/store");
    CHECK(check("refusing").find("to a PUT") != std::string::npos);
    team.stop();
    CHECK(check("alone").find("note: the shared store at ") != std::string::npos);
    auto wrong = team.shell("OMNISTASIS_SHARED_STORE=nowhere '" OMNISTASIS_PROGRAM
                            "' build h.py --asset data.txt --without own-files --compress fast --runtime "
                            "/usr/bin/python3 --out wrong");
    CHECK(wrong.exit_code == 0);
    CHECK(wrong.err.find("its address does not begin") != std::string::npos);
}
