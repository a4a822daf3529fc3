// The first thing in every application for Windows: finds the tree that belongs to it (next to it, or
// unpacked once from its own end) and starts the program in there, with the same standard streams, and ends
// with its exit code. Paths are UTF-16 and begin with `\\?\` where files are opened, so that they may be
// longer than 260 characters.
#include "old_trees_windows.h"
#include "program_windows.h"
#include "self_windows.h"
#include "signature.h"
#include "state_windows.h"
#include "tree_place_windows.h"

namespace omnistasis::launcher {

using namespace payload;

namespace {

/// The tree that belongs to this executable, with all that it needs around it.
bool find_tree(const Self& self, TreePlace& place, Failure& failure) {
    if (!is_signature_right(self.head))
        return set(
            failure, exit_damaged,
            L"can't start: the file does not have its publisher's signature. Get it anew from where its "
            L"publisher offers it",
            L"", 0);
    if (self.head.tree_folder.size > 0)
        find_beside(self, place);
    else if (!provide_in_cache(self, nullptr, place, failure))
        return false;
    if (self.head.state.size > 0) {
        StateResult result = provide_state(self, place.path, place.in_cache, failure);
        if (result == StateResult::tree_is_fixed) {
            // A user of a tree that can't be changed has one of their own, which leads to their data.
            const wchar_t* original = place.path;
            failure = {};
            if (!provide_in_cache(self, original, place, failure)) return false;
            result = provide_state(self, place.path, true, failure);
        }
        if (result != StateResult::ready) return false;
    }
    wchar_t wanted[8] = {};
    if (GetEnvironmentVariableW(L"OMNISTASIS_CHECK", wanted, 8) == 4 && wcscmp(wanted, L"full") == 0 &&
        !check_tree(self, place, failure))
        return false;
    if (place.was_idle) remove_old_trees(self, place);
    return true;
}

[[noreturn]] void run() {
    static Self self;
    Failure failure;
    if (auto error = open_self(self); error != ReadError::none) {
        set(failure, error);
        stop(self.path, failure);
    }
    TreePlace place;
    if (!find_tree(self, place, failure)) stop(self.path, failure);
    DWORD code = 0;
    run_program(self, place.path, failure, code);
    // A tree in the cache is put there anew, once, where it is not what was built any more.
    Failure second;
    if (place.in_cache && repair_in_cache(self, place, second)) {
        if (!find_tree(self, place, second)) stop(self.path, second);
        run_program(self, place.path, failure, code);
    }
    if (second.exit_code != 0) stop(self.path, second);
    if (code != 0) ExitProcess(code);
    stop(self.path, failure);
}

} // namespace

} // namespace omnistasis::launcher

int main() { omnistasis::launcher::run(); }
