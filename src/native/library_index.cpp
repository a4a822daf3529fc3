#include "native/library_index.h"

#include "support/files.h"
#include "support/letter_case.h"

#include <algorithm>

namespace omnistasis::native {

namespace {

/// Whether a file's name is that of a library of any system.
bool is_any_library(const std::string& name) {
    std::string lower = lower_case(name);
    return is_library_name(name) || lower.ends_with(".dll") || lower.ends_with(".dylib");
}

/// How many folders two paths have in common.
std::ptrdiff_t common_start(const std::string& left, const std::string& right) {
    auto end = std::ranges::mismatch(left, right).in1;
    return std::count(left.begin(), end, '/');
}

} // namespace

LibraryIndex::LibraryIndex(const std::vector<std::string>& folders, bool any_case) : any_case_(any_case) {
    for (const std::string& folder : folders) {
        std::vector<std::string> found;
        each_entry_below(folder, [&](const fs::directory_entry& entry) {
            if (is_any_library(entry.path().filename().string())) found.push_back(entry.path().string());
        });
        std::ranges::sort(found);
        for (const std::string& file : found) add(file);
    }
}

void LibraryIndex::add(const std::string& file) {
    std::string name = fs::path(file).filename().string();
    if (is_any_library(name)) files_[any_case_ ? lower_case(name) : name].push_back(file);
}

std::vector<std::string> LibraryIndex::all(const std::string& name) const {
    auto known = files_.find(any_case_ ? lower_case(name) : name);
    return known == files_.end() ? std::vector<std::string>() : known->second;
}

std::string LibraryIndex::find(const std::string& name, const std::string& beside) const {
    auto known = files_.find(any_case_ ? lower_case(name) : name);
    if (known == files_.end()) return {};
    const std::string* best = nullptr;
    for (const std::string& file : known->second) {
        if (parent_folder_of(file) == beside) return file;
        auto rank = [&](const std::string& one) {
            return std::pair(common_start(one, beside), -static_cast<std::ptrdiff_t>(one.size()));
        };
        if (best == nullptr || rank(file) > rank(*best)) best = &file;
    }
    return *best;
}

} // namespace omnistasis::native
