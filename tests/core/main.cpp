#include <csignal>

void prepare();
void prepare() {
    std::signal(SIGPIPE, SIG_IGN);
} // as the program does; what gives input to others relies on it
