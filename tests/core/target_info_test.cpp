// The table of targets, and the conventions of languages.
#include "folder.h"
#include "native/native_kind.h"
#include "project/own_files.h"
#include "runtimes/conventions.h"
#include "support/first_failure.h"
#include "support/target_info.h"

#include <algorithm>
#include <elf.h>
#include <set>
#include <thread>

using namespace omnistasis;

TEST_CASE("each target's name is its system and its processor, and leads to its row") {
    std::set<std::string> names;
    for (const TargetInfo& one : all_targets()) {
        INFO(one.name);
        CHECK(names.insert(one.name).second);
        CHECK(find_target(one.name) == &one);
        CHECK(one.name.ends_with("-" + one.processor));
        CHECK(system_of(one.name) == one.system);
        CHECK(target_with(one.system, one.machine) == &one);
        CHECK((one.system == System::windows) == (one.program_ending == ".exe"));
        CHECK((one.system == System::linux) == !one.loader.empty());
        CHECK((one.system == System::linux) == !library_folders(one).empty());
        CHECK_FALSE(one.manifest_word.empty());
        CHECK_FALSE(one.short_processor.empty());
    }
    CHECK(names.size() == known_targets().size());
    CHECK(find_target("linux") == nullptr);
    CHECK(find_target("") == nullptr);
    CHECK(target_with(System::windows, EM_X86_64) == nullptr);
    CHECK(host_info().system == System::linux);
    CHECK(host_target() == host_info().name);
}

TEST_CASE("library folders are those of the processor, then the wide one") {
    auto folders = library_folders(*find_target("linux-aarch64"));
    CHECK(folders == std::vector<std::string>{"/lib/aarch64-linux-gnu", "/usr/lib/aarch64-linux-gnu",
                                              "/lib64", "/usr/lib64"});
    CHECK(library_folders(*find_target("windows-x86_64")).empty());
    CHECK(linux_folders(EM_386).several == "i386-linux-gnu");
    CHECK(linux_folders(EM_386).one == "lib");
    CHECK(linux_folders(EM_AARCH64).several == "aarch64-linux-gnu");
    CHECK(linux_folders(EM_S390).several == host_info().library_folder);
    CHECK(is_library_folder("riscv64-linux-gnu"));
    CHECK_FALSE(is_library_folder("python3"));
}

TEST_CASE("processors have a name, those of no target a number at least") {
    CHECK(processor_name(System::linux, EM_X86_64) == "x86-64");
    CHECK(processor_name(System::linux, EM_ARM) == "arm");
    CHECK(processor_name(System::linux, 9999) == "machine 9999");
    CHECK(processor_name(System::windows, 0xAA64) == "aarch64");
    CHECK(processor_name(System::windows, 0x1234) == "machine 0x1234");
    CHECK(processor_name(System::macos, 0x0100000C) == "aarch64");
    CHECK(processor_name(System::macos, 0x99) == "processor 0x99");
}

namespace {

std::string elf_head(unsigned char width, unsigned char order, unsigned char machine) {
    std::string head = "\x7f"
                       "ELF";
    head += static_cast<char>(width);
    head += static_cast<char>(order);
    head.resize(18);
    head += order == 2 ? std::string{'\0', static_cast<char>(machine)}
                       : std::string{static_cast<char>(machine), '\0'};
    head.resize(64);
    return head;
}

std::vector<std::string> targets_of(const test::Folder& folder, const std::string& bytes) {
    return native::kind_of(folder.write("file", bytes)).targets;
}

} // namespace

TEST_CASE("what a native file is for is told by its first bytes") {
    test::Folder folder;
    using Names = std::vector<std::string>;
    CHECK(targets_of(folder, elf_head(2, 1, EM_X86_64)) == Names{"linux-x86_64"});
    CHECK(targets_of(folder, elf_head(2, 1, EM_AARCH64)) == Names{"linux-aarch64"});
    CHECK(targets_of(folder, elf_head(1, 1, EM_386)).empty());
    CHECK(targets_of(folder, elf_head(2, 2, EM_S390)).empty());
    CHECK(targets_of(folder, elf_head(2, 2, EM_X86_64)).empty());
    CHECK(native::kind_of(folder.write("file", elf_head(1, 1, EM_386))).is_native);
    std::string pe(64, '\0');
    pe[0] = 'M';
    pe[1] = 'Z';
    pe[0x3c] = 64;
    pe += std::string("PE\0\0\x64\x86", 6) + std::string(300, '\0');
    CHECK(targets_of(folder, pe) == Names{"windows-x86_64"});
    pe[0x45] = '\xAA';
    CHECK(targets_of(folder, pe).empty());
    std::string thin = std::string("\xcf\xfa\xed\xfe\x0c\0\0\x01", 8) + std::string(60, '\0');
    CHECK(targets_of(folder, thin) == Names{"macos-aarch64"});
    std::string fat = std::string("\xca\xfe\xba\xbe\0\0\0\x02", 8) + std::string("\x01\0\0\x07", 4) +
                      std::string(16, '\0') + std::string("\x01\0\0\x0c", 4) + std::string(60, '\0');
    CHECK(targets_of(folder, fat) == Names{"macos-x86_64", "macos-aarch64"});
    CHECK_FALSE(native::kind_of(folder.write("file", "#!/bin/sh\nexit 0\n#################")));
    CHECK_FALSE(native::kind_of(folder.write("file", "\x7f"
                                                     "EL")));
    CHECK_FALSE(native::kind_of(folder / "gone"));
    CHECK_FALSE(native::kind_of(folder.path().string()));
}

TEST_CASE("each language has one row of conventions, with a name of its own") {
    std::set<std::string_view> names;
    for (const Conventions* one : conventions()) CHECK(names.insert(one->language).second);
    CHECK(names == std::set<std::string_view>{"lua", "node", "python"});
    CHECK(any_names(&Conventions::project_files, "pyproject.toml"));
    CHECK(any_names(&Conventions::project_files, "package.json"));
    CHECK_FALSE(any_names(&Conventions::project_files, "package.jso"));
    CHECK(any_starts(&Conventions::passed_file_starts, "requirements-dev.txt"));
    CHECK_FALSE(any_starts(&Conventions::passed_file_starts, "require.txt"));
    CHECK(any_ends(&Conventions::compiled_endings, "tide.cpython-311.pyc"));
    CHECK_FALSE(any_ends(&Conventions::compiled_endings, "tide.py"));
    CHECK(any_fits(&Conventions::test_files, "test_tides.py"));
    CHECK_FALSE(any_fits(&Conventions::test_files, "tides_test.py"));
}

TEST_CASE("a project's folder has a file that describes one, or version control") {
    test::Folder folder;
    for (const char* mark : {"pyproject.toml", "package.json", "setup.cfg", ".git/HEAD", ".hg/store"}) {
        test::Folder one;
        CHECK_FALSE(is_project_folder(one.path()));
        one.write(mark);
        CHECK(is_project_folder(one.path()));
    }
    folder.write("pyproject.toml");
    folder.write("src/deep/app.py");
    CHECK(own_folder_above(folder.path() / "src/deep") == folder.path());
    CHECK_FALSE(holds_packages(folder.path()));
    folder.write("venv/pyvenv.cfg");
    CHECK(holds_packages(folder.path() / "venv"));
}

TEST_CASE("of failures in parallel the one with the lowest index counts") {
    FirstFailure none;
    CHECK(none.result());
    FirstFailure failures;
    std::vector<std::thread> threads;
    for (std::size_t i = 40; i-- > 3;)
        threads.emplace_back([&failures, i] {
            failures.note(i, {ErrorKind::missing, "step " + std::to_string(i), {}, {}, {}});
        });
    for (std::thread& thread : threads) thread.join();
    REQUIRE_FALSE(failures.result());
    CHECK(failures.result().error().what == "step 3");
}
