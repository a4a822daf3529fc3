// Project files: what is read is written and read again as the same.
#include "project/project_file.h"

#include "in_file.h"

using namespace omnistasis;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    Project project;
    if (!read_project_file(in_file(data, size), project)) return 0;
    std::string text = project_file_text(project);
    Project again;
    if (!read_project_file(in_file(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()), again) ||
        project_file_text(again) != text)
        __builtin_trap();
    return 0;
}
