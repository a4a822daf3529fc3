// The first thing in every application for Windows: finds the tree that belongs to it (next to it, or
// unpacked once from its own end) and starts the program in there, with the same standard streams, and ends
// with its exit code. Paths are UTF-16 and begin with `\\?\` where files are opened, so that they may be
// longer than 260 characters.
#include "old_trees_windows.h"
#include "program_windows.h"
#include "self_windows.h"
#include "tree_place_windows.h"

namespace omnistasis::launcher {

using namespace payload;

namespace {

[[noreturn]] void run() {
    static Self self;
    Failure failure;
    if (auto error = open_self(self); error != ReadError::none) {
        set(failure, error);
        stop(self.path, failure);
    }
    bool beside = self.head.tree_folder.size > 0;
    wchar_t* tree = nullptr;
    if (beside)
        find_beside(self, tree);
    else if (!provide_in_cache(self, tree, failure))
        stop(self.path, failure);
    wchar_t wanted[8] = {};
    if (GetEnvironmentVariableW(L"OMNISTASIS_CHECK", wanted, 8) == 4 && wcscmp(wanted, L"full") == 0 &&
        !check_tree(self, tree, !beside, failure))
        stop(self.path, failure);
    if (!beside) remove_old_trees(tree);
    run_program(self, tree, failure);
    stop(self.path, failure);
}

} // namespace

} // namespace omnistasis::launcher

int main() { omnistasis::launcher::run(); }
