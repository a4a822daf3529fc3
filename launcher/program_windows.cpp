#include "program_windows.h"

#include "error_text_windows.h"
#include "start_text.h"
#include "state_windows.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

using namespace payload;

namespace {

/// A text that grows; units of UTF-16.
struct Text {
    wchar_t* data = nullptr;
    size_t size = 0, room = 0;
    void add(const wchar_t* text, size_t count) {
        if (size + count + 1 > room) {
            room = (size + count + 1) * 2;
            data = static_cast<wchar_t*>(realloc(data, room * sizeof(wchar_t)));
        }
        memcpy(data + size, text, count * sizeof(wchar_t));
        size += count;
        data[size] = 0;
    }
    void add(const wchar_t* text) { add(text, wcslen(text)); }
};

/// One argument as CommandLineToArgvW and the C runtime read it: backslashes count only in front of a quote.
void add_argument(Text& line, const wchar_t* argument) {
    if (line.size > 0) line.add(L" ");
    if (argument[0] != 0 && wcspbrk(argument, L" \t\n\v\"") == nullptr) return line.add(argument);
    line.add(L"\"");
    for (const wchar_t* at = argument;; ++at) {
        size_t backslashes = 0;
        for (; *at == L'\\'; ++at) ++backslashes;
        size_t written = *at == 0 ? 2 * backslashes : *at == L'"' ? 2 * backslashes + 1 : backslashes;
        for (size_t i = 0; i < written; ++i) line.add(L"\\");
        if (*at == 0) break;
        line.add(at, 1);
    }
    line.add(L"\"");
}

/// What stands behind the program's own name on the command line, as the user wrote it.
const wchar_t* users_arguments() {
    const wchar_t* at = GetCommandLineW();
    bool quoted = false;
    for (; *at != 0 && (quoted || (*at != L' ' && *at != L'\t')); ++at)
        if (*at == L'"') quoted = !quoted;
    while (*at == L' ' || *at == L'\t') ++at;
    return at;
}

/// A start's text with what its place-holders stand for. What follows the tree is a path, up to the `;` that
/// ends it in a list of paths, and has this system's separators.
wchar_t* filled_in(const char* text, const wchar_t* tree, const wchar_t* called_as) {
    Text result;
    result.add(L"");
    bool in_path = false;
    for (StartPiece piece = next_piece(text); piece.kind != StartPiece::Kind::end; piece = next_piece(text)) {
        if (piece.kind != StartPiece::Kind::plain) {
            in_path = piece.kind == StartPiece::Kind::tree;
            result.add(in_path ? tree : called_as);
            continue;
        }
        wchar_t* plain = wide(piece.text, piece.size);
        for (wchar_t* at = plain; *at != 0; ++at) {
            in_path &= *at != L';';
            if (in_path && *at == L'/') *at = L'\\';
        }
        result.add(plain);
        free(plain);
    }
    return result.data;
}

/// Whether a variable of the environment has the name of one of the head's list.
bool is_in(Bytes list, const wchar_t* variable) {
    bool found = false;
    each_text(list, [&](const char* text) {
        wchar_t* name = wide(text, name_size(text));
        size_t size = wcslen(name);
        found |= _wcsnicmp(variable, name, size) == 0 && variable[size] == L'=';
        free(name);
    });
    return found;
}

/// The environment of the program (start_text.h); null where it stays as it is.
wchar_t* program_environment(const Self& self, const wchar_t* tree) {
    const Head& head = self.head;
    if (head.kept_variables.size == 0 && head.set_variables.size == 0) return nullptr;
    wchar_t* before = GetEnvironmentStringsW();
    Text text;
    for (const wchar_t* one = before; *one != 0; one += wcslen(one) + 1) {
        if (is_in(head.kept_variables, one) || is_in(head.set_variables, one)) text.add(L"OMNISTASIS_KEPT_");
        text.add(one, wcslen(one) + 1);
    }
    each_text(head.set_variables, [&](const char* variable) {
        wchar_t* filled = filled_in(variable, tree, self.path);
        text.add(filled, wcslen(filled) + 1);
        free(filled);
    });
    text.add(L"", 1);
    FreeEnvironmentStringsW(before);
    return text.data;
}

BOOL WINAPI leave_to_program(DWORD) {
    // The program in the tree has got it too; how that ends is how we end.
    return TRUE;
}

/// Whether a program ended before it began, as a library of its was not there, or not a right one: the codes
/// of the system's loader (ntstatus.h).
bool was_not_loaded(DWORD code) {
    constexpr DWORD not_found = 0xC0000135, no_image = 0xC000007B, no_entry = 0xC0000139,
                    did_not_begin = 0xC0000142;
    return code == not_found || code == no_image || code == no_entry || code == did_not_begin;
}

/// Programs read paths without the mark, and many none that is long: of a long one the system's short form is
/// given, where the disk has such, else the whole with its mark.
const wchar_t* as_shown(const wchar_t* path) {
    constexpr size_t comfortable = 160; // with the names in the tree behind it that is below 260
    const wchar_t* plain = without_mark(path);
    if (wcslen(plain) < comfortable) return plain;
    wchar_t* in_short = wide_room(longest_path);
    DWORD size = GetShortPathNameW(path, in_short, longest_path);
    bool helps = size > 0 && size < longest_path && wcslen(without_mark(in_short)) < wcslen(plain);
    return helps ? without_mark(in_short) : path;
}

} // namespace

void run_program(const Self& self, const wchar_t* marked_tree, Failure& failure, DWORD& code) {
    const wchar_t* tree = as_shown(marked_tree);
    const auto* start = reinterpret_cast<const char*>(self.head.start.data);
    const char* end = start + self.head.start.size;
    char in_tree[4096];
    snprintf(in_tree, sizeof in_tree, "{tree}/%s", start);
    wchar_t* program = filled_in(in_tree, tree, self.path);
    Text line;
    add_argument(line, program);
    for (const char* at = start + strlen(start) + 1; at < end; at += strlen(at) + 1) {
        if (strcmp(at, "{arguments}") == 0) {
            const wchar_t* users = users_arguments();
            if (*users != 0) line.add(L" ");
            line.add(users);
        } else {
            add_argument(line, filled_in(at, tree, self.path));
        }
    }
    wchar_t* folder = nullptr;
    if (self.head.working_folder.size > 0) {
        snprintf(in_tree, sizeof in_tree, "{tree}/%.*s", static_cast<int>(self.head.working_folder.size),
                 reinterpret_cast<const char*>(self.head.working_folder.data));
        folder = filled_in(in_tree, tree, self.path);
    }
    // What it starts ends with us, however we end.
    HANDLE job = CreateJobObjectW(nullptr, nullptr);
    JOBOBJECT_EXTENDED_LIMIT_INFORMATION limits = {};
    limits.BasicLimitInformation.LimitFlags =
        JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE | JOB_OBJECT_LIMIT_BREAKAWAY_OK;
    if (job != nullptr)
        SetInformationJobObject(job, JobObjectExtendedLimitInformation, &limits, sizeof limits);
    STARTUPINFOW startup = {};
    GetStartupInfoW(&startup);
    startup.cb = sizeof startup;
    // In the reserved fields C libraries pass on the descriptors beyond the three streams (as Node.js does
    // for the channel to a child): they stay as they are, and their handles are inherited like the others.
    startup.dwFlags |= STARTF_USESTDHANDLES;
    startup.hStdInput = GetStdHandle(STD_INPUT_HANDLE);
    startup.hStdOutput = GetStdHandle(STD_OUTPUT_HANDLE);
    startup.hStdError = GetStdHandle(STD_ERROR_HANDLE);
    // Nobody sees what a program without a console says of its errors.
    static ErrorText errors;
    bool is_unseen =
        is_window() && (startup.hStdError == nullptr || startup.hStdError == INVALID_HANDLE_VALUE);
    if (is_unseen) startup.hStdError = errors.begin();
    const HANDLE streams[] = {startup.hStdInput, startup.hStdOutput, startup.hStdError};
    for (HANDLE stream : streams)
        if (stream != nullptr && stream != INVALID_HANDLE_VALUE)
            SetHandleInformation(stream, HANDLE_FLAG_INHERIT, HANDLE_FLAG_INHERIT);
    DWORD flags = CREATE_UNICODE_ENVIRONMENT | CREATE_SUSPENDED;
    if (is_window()) flags |= CREATE_NO_WINDOW;
    SetConsoleCtrlHandler(leave_to_program, TRUE);
    PROCESS_INFORMATION process = {};
    if (CreateProcessW(program, line.data, nullptr, nullptr, TRUE, flags, program_environment(self, tree),
                       folder, &startup, &process) == 0) {
        code = 0;
        set(failure, exit_no_start, L"can't start", program, GetLastError());
        return;
    }
    if (is_unseen) errors.passed_on();
    if (job != nullptr) AssignProcessToJobObject(job, process.hProcess);
    ResumeThread(process.hThread);
    WaitForSingleObject(process.hProcess, INFINITE);
    GetExitCodeProcess(process.hProcess, &code);
    if (was_not_loaded(code)) {
        CloseHandle(process.hProcess);
        CloseHandle(process.hThread);
        return;
    }
    keep_state(self, marked_tree);
    if (is_unseen) errors.tell(self, code);
    ExitProcess(code);
}

} // namespace omnistasis::launcher
