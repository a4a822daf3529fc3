#include "error_text_windows.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

namespace omnistasis::launcher {

HANDLE ErrorText::begin() {
    SECURITY_ATTRIBUTES inherited = {sizeof inherited, nullptr, TRUE};
    bytes_ = static_cast<char*>(malloc(most));
    if (bytes_ == nullptr || CreatePipe(&from_, &to_, &inherited, 0) == 0) return nullptr;
    SetHandleInformation(from_, HANDLE_FLAG_INHERIT, 0);
    thread_ = CreateThread(nullptr, 0, read, this, 0, nullptr);
    return thread_ != nullptr ? to_ : nullptr;
}

void ErrorText::passed_on() { CloseHandle(to_); }

DWORD WINAPI ErrorText::read(void* text) {
    auto& self = *static_cast<ErrorText*>(text);
    DWORD count = 0;
    while (true) {
        if (self.size_ == most) {
            memmove(self.bytes_, self.bytes_ + most / 2, most / 2);
            self.size_ = most / 2;
            self.is_cut_ = true;
        }
        auto room = static_cast<DWORD>(most - self.size_);
        if (ReadFile(self.from_, self.bytes_ + self.size_, room, &count, nullptr) == 0 || count == 0)
            return 0;
        self.size_ = self.size_ + count;
    }
}

void ErrorText::write_file(const wchar_t* path) const {
    HANDLE file = CreateFileW(path, GENERIC_WRITE, FILE_SHARE_READ, nullptr, CREATE_ALWAYS, 0, nullptr);
    if (file == INVALID_HANDLE_VALUE) return;
    DWORD written = 0;
    constexpr char cut[] = "...\r\n";
    if (is_cut_) WriteFile(file, cut, sizeof cut - 1, &written, nullptr);
    WriteFile(file, bytes_, static_cast<DWORD>(size_), &written, nullptr);
    CloseHandle(file);
}

void ErrorText::tell(const Self& self, DWORD code) {
    // What the program itself wrote is read by then; what it started may hold the pipe open.
    constexpr DWORD long_enough = 500; // milliseconds
    WaitForSingleObject(thread_, long_enough);
    if (code == 0 || size_ == 0) return;
    wchar_t* name = wide(reinterpret_cast<const char*>(self.head.name.data), self.head.name.size);
    wchar_t* path = wide_room(longest_path);
    DWORD folder = GetTempPathW(longest_path - 300, path);
    _snwprintf(path + folder, 290, L"%.200ls-errors.txt", name);
    write_file(path);

    constexpr size_t most_lines = 12, most_shown = 1200;
    const char* from = bytes_ + size_;
    size_t lines = 0;
    while (from > bytes_ && static_cast<size_t>(bytes_ + size_ - from) < most_shown) {
        bool is_line_end = from[-1] == '\n' && from < bytes_ + size_;
        if (is_line_end && ++lines == most_lines) break;
        --from;
    }
    auto count = static_cast<int>(bytes_ + size_ - from);
    wchar_t* shown = wide_room(most_shown + 2);
    // Programs write in UTF-8 or in the system's own encoding, which is not ours: our manifest asks for
    // UTF-8.
    DWORD encoding = CP_ACP;
    GetLocaleInfoW(LOCALE_SYSTEM_DEFAULT, LOCALE_IDEFAULTANSICODEPAGE | LOCALE_RETURN_NUMBER,
                   reinterpret_cast<wchar_t*>(&encoding), sizeof encoding / sizeof(wchar_t));
    if (MultiByteToWideChar(CP_UTF8, MB_ERR_INVALID_CHARS, from, count, shown, most_shown) == 0)
        MultiByteToWideChar(encoding, 0, from, count, shown, most_shown);
    wchar_t* text = wide_room(most_shown + longest_path);
    bool is_fault = code >= 0xC0000000;
    _snwprintf(
        text, most_shown + longest_path - 1,
        is_fault ? L"%ls has been ended by the system (%lX).\n\n%ls\nAll that it wrote is in\n%ls"
                 : L"%ls has ended because of an error (exit code %lu).\n\n%ls\nAll that it wrote is in\n%ls",
        name, static_cast<unsigned long>(code), shown, path);
    show_box(text, name);
}

} // namespace omnistasis::launcher
