#include "native/own_processor.h"

#include "support/target_info.h"

#include <fmt/format.h>
#include <utility>

namespace omnistasis::native {

std::vector<std::string> processor_folders(std::string& platform) {
    std::vector<std::string> folders;
    platform = host_info().processor;
#if defined(__x86_64__)
    __builtin_cpu_init();
    bool v2 = __builtin_cpu_supports("sse4.2") && __builtin_cpu_supports("popcnt") &&
              __builtin_cpu_supports("ssse3");
    bool v3 = v2 && __builtin_cpu_supports("avx2") && __builtin_cpu_supports("bmi") &&
              __builtin_cpu_supports("bmi2") && __builtin_cpu_supports("fma");
    bool v4 = v3 && __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") &&
              __builtin_cpu_supports("avx512cd") && __builtin_cpu_supports("avx512dq") &&
              __builtin_cpu_supports("avx512vl");
    for (auto [has, name] : {std::pair(v4, "x86-64-v4"), {v3, "x86-64-v3"}, {v2, "x86-64-v2"}})
        if (has) folders.push_back(fmt::format("glibc-hwcaps/{}/", name));
    std::vector<std::string> older{"tls"};
    if (v3) older.push_back(platform = "haswell");
    if (v4) older.push_back("avx512_1");
    older.push_back(host_info().processor);
    for (std::size_t set = (std::size_t(1) << older.size()) - 1; set > 0; --set) {
        std::string folder;
        for (std::size_t i = 0; i < older.size(); ++i)
            if ((set >> (older.size() - 1 - i)) & 1) folder += older[i] + "/";
        folders.push_back(std::move(folder));
    }
#endif
    return folders;
}

} // namespace omnistasis::native
