#include "rights_windows.h"

#include "self_windows.h"

#include <aclapi.h>
#include <sddl.h>
#include <stdio.h>
#include <stdlib.h>

namespace omnistasis::launcher {

namespace {

/// To write into a folder, or to take things away.
constexpr DWORD changes_content = FILE_ADD_FILE | FILE_ADD_SUBDIRECTORY | FILE_DELETE_CHILD | DELETE |
                                  WRITE_DAC | WRITE_OWNER | GENERIC_WRITE | GENERIC_ALL;
/// To put another folder in the place of one that is there.
constexpr DWORD replaces_folders = FILE_DELETE_CHILD | DELETE | WRITE_DAC | WRITE_OWNER | GENERIC_ALL;

} // namespace

const wchar_t* user_text() {
    static wchar_t* text = nullptr;
    if (text != nullptr) return text;
    static wchar_t nobody[] = L"";
    HANDLE token = nullptr;
    alignas(TOKEN_USER) uint8_t room[sizeof(TOKEN_USER) + SECURITY_MAX_SID_SIZE];
    DWORD size = 0;
    if (OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY, &token) == 0) return text = nobody;
    bool known = GetTokenInformation(token, TokenUser, room, sizeof room, &size) != 0 &&
                 ConvertSidToStringSidW(reinterpret_cast<TOKEN_USER*>(room)->User.Sid, &text) != 0;
    CloseHandle(token);
    return known ? text : text = nobody;
}

namespace {

/// Those who may do anything here anyway ("Well-known SIDs"): the system, its administrators, and rights that
/// are the owner's.
constexpr const wchar_t* trusted_ones[] = {L"S-1-5-18", L"S-1-5-32-544", L"S-1-3-0", L"S-1-3-4"};
/// Services, which administrators set up; applications in containers and the user's own sessions, which
/// narrow the user's rights.
constexpr const wchar_t* trusted_starts[] = {L"S-1-5-80-", L"S-1-15-", L"S-1-5-5-"};
/// Of a domain or a machine: the administrator, those of the domain and those of all its domains.
constexpr const wchar_t* accounts_start = L"S-1-5-21-";
constexpr const wchar_t* administrators_ends[] = {L"-500", L"-512", L"-519"};

/// Whether an identifier is the user's, or one of these.
bool is_trusted(PSID sid) {
    wchar_t* text = nullptr;
    if (sid == nullptr || ConvertSidToStringSidW(sid, &text) == 0) return false;
    bool trusted = user_text()[0] != 0 && wcscmp(text, user_text()) == 0;
    for (const wchar_t* one : trusted_ones) trusted |= wcscmp(text, one) == 0;
    for (const wchar_t* start : trusted_starts) trusted |= wcsncmp(text, start, wcslen(start)) == 0;
    const wchar_t* last = wcsrchr(text, L'-');
    if (wcsncmp(text, accounts_start, wcslen(accounts_start)) == 0 && last != nullptr)
        for (const wchar_t* end : administrators_ends) trusted |= wcscmp(last, end) == 0;
    LocalFree(text);
    return trusted;
}

/// Whether only trusted ones have any of `rights` on the folder, which belongs to one of them.
bool only_trusted_have(const wchar_t* folder, DWORD rights) {
    PSID owner = nullptr;
    PACL list = nullptr;
    PSECURITY_DESCRIPTOR descriptor = nullptr;
    if (GetNamedSecurityInfoW(const_cast<wchar_t*>(folder), SE_FILE_OBJECT,
                              OWNER_SECURITY_INFORMATION | DACL_SECURITY_INFORMATION, &owner, nullptr, &list,
                              nullptr, &descriptor) != ERROR_SUCCESS)
        return false;
    // Without a list everybody may do everything.
    bool safe = is_trusted(owner) && list != nullptr;
    for (DWORD i = 0; safe && i < list->AceCount; ++i) {
        void* entry = nullptr;
        if (GetAce(list, i, &entry) == 0) {
            safe = false;
            break;
        }
        const auto* head = static_cast<const ACE_HEADER*>(entry);
        bool denies =
            head->AceType == ACCESS_DENIED_ACE_TYPE || head->AceType == ACCESS_DENIED_CALLBACK_ACE_TYPE;
        if (denies || (head->AceFlags & INHERIT_ONLY_ACE) != 0) continue;
        auto* allowed = static_cast<ACCESS_ALLOWED_ACE*>(entry);
        bool is_known =
            head->AceType == ACCESS_ALLOWED_ACE_TYPE || head->AceType == ACCESS_ALLOWED_CALLBACK_ACE_TYPE;
        safe = is_known && ((allowed->Mask & rights) == 0 || is_trusted(&allowed->SidStart));
    }
    LocalFree(descriptor);
    return safe;
}

bool is_wine() { return GetProcAddress(GetModuleHandleW(L"ntdll.dll"), "wine_get_version") != nullptr; }

} // namespace

bool is_users_own(const wchar_t* folder) { return only_trusted_have(folder, changes_content); }

const wchar_t* changed_by_others(const wchar_t* folder) {
    if (!is_users_own(folder)) return folder;
    if (is_wine()) return nullptr;
    wchar_t* step = concat(folder, L"");
    constexpr size_t start = 7; // `\\?\C:\`: the disk itself is the administrators'
    for (wchar_t* slash = wcsrchr(step, L'\\'); slash != nullptr && slash > step + start;
         slash = wcsrchr(step, L'\\')) {
        *slash = 0;
        if (!only_trusted_have(step, replaces_folders)) return step;
    }
    return nullptr;
}

bool make_own_folder(const wchar_t* folder) {
    wchar_t rights[400];
    _snwprintf(rights, 400, L"D:P(A;OICI;FA;;;%ls)(A;OICI;FA;;;SY)(A;OICI;FA;;;BA)", user_text());
    SECURITY_ATTRIBUTES attributes = {sizeof attributes, nullptr, FALSE};
    bool known =
        user_text()[0] != 0 && ConvertStringSecurityDescriptorToSecurityDescriptorW(
                                   rights, SDDL_REVISION_1, &attributes.lpSecurityDescriptor, nullptr) != 0;
    BOOL made = CreateDirectoryW(folder, known ? &attributes : nullptr);
    DWORD reason = GetLastError();
    if (known) LocalFree(attributes.lpSecurityDescriptor);
    SetLastError(reason);
    return made != 0 || reason == ERROR_ALREADY_EXISTS;
}

} // namespace omnistasis::launcher
