#!/usr/bin/env python3
"""Compares what launcher/macos declares with the system's own headers.

    check_macos_headers.py FOLDER

FOLDER holds the headers of macOS and libSystem.tbd, somewhere below: as in a developer's kit, or in the PyPI
package `ziglang`, unpacked. Ends with 1 where a number, a size, a place in a structure or a name differs.
"""
import pathlib
import re
import subprocess
import sys
import tempfile

OURS = pathlib.Path(__file__).resolve().parent.parent / "launcher/macos"
NUMBERS = """O_RDONLY O_WRONLY O_RDWR O_NONBLOCK O_NOFOLLOW O_CREAT O_TRUNC O_EXCL O_APPEND O_DIRECTORY O_CLOEXEC O_SYMLINK
AT_EACCESS AT_SYMLINK_NOFOLLOW AT_REMOVEDIR F_GETPATH EPERM ENOENT EINTR ENOMEM EEXIST EXDEV ENOTDIR EINVAL EWOULDBLOCK
ELOOP ENAMETOOLONG ENOSYS LOCK_SH LOCK_EX LOCK_NB PROT_READ MAP_PRIVATE S_IFMT S_ISVTX UTIME_OMIT MNT_NOEXEC PRIO_PROCESS
CLOCK_MONOTONIC SIGPIPE F_OK X_OK W_OK STDERR_FILENO _SC_NPROCESSORS_ONLN CLONE_NOOWNERCOPY""".split()
STRUCTURES = {
    "struct stat": "st_dev st_mode st_nlink st_ino st_uid st_gid st_mtim st_ctim st_size",
    "struct statfs": "f_flags f_fstypename",
    "struct dirent": "d_name",
    "struct passwd": "pw_uid pw_dir",
    "struct timespec": "tv_sec tv_nsec",
}
TYPES = "dev_t ino_t mode_t nlink_t uid_t gid_t pid_t off_t ssize_t time_t pthread_t".split()
HEADERS = """dirent.h errno.h fcntl.h libproc.h pthread.h pwd.h signal.h stddef.h stdio.h stdlib.h string.h
sys/clonefile.h sys/file.h sys/mman.h sys/mount.h sys/resource.h sys/stat.h sys/sysctl.h sys/types.h sys/wait.h time.h
unistd.h""".split()


def table(include, architecture, is_ours):
    """What the headers say, as text: name and number."""
    expressions = NUMBERS + [f"sizeof({name})" for name in [*STRUCTURES, *TYPES]]
    for structure, members in STRUCTURES.items():
        for member in members.split():
            named = member if is_ours else re.sub("^(st_[mc]tim)$", r"\1espec", member)
            expressions.append(f"offsetof({structure}, {named})")
    source = "".join(f"#include <{name}>\n" for name in HEADERS)
    source += "extern const long long values[] = {" + ", ".join(f"(long long)({e})" for e in expressions) + "};\n"
    with tempfile.TemporaryDirectory() as folder:
        file = pathlib.Path(folder) / "values.cpp"
        file.write_text(source)
        clang = subprocess.run(["clang++", "-print-resource-dir"], capture_output=True, text=True, check=True)
        assembler = subprocess.run(
            ["clang++", "-std=c++20", "-target", f"{architecture}-apple-macos11", "-nostdinc", "-nostdinc++", "-w", "-DTARGET_OS_MAC=1",
             "-isystem", clang.stdout.strip() + "/include", "-isystem", str(include), "-S", "-o", "-", str(file)],
            capture_output=True, text=True, check=True).stdout
    values = [int(value, 0) for value in re.findall(r"\.quad\s+(-?\w+)", assembler)]
    return dict(zip((e.replace("espec", "") for e in expressions), values, strict=True))


def main():
    folder = pathlib.Path(sys.argv[1])
    system = next(folder.rglob("libproc.h")).parent
    stub = next(folder.rglob("libSystem.tbd")).read_text()
    wrong = []
    for architecture in ("x86_64", "arm64"):
        theirs = table(system, architecture, False)
        for name, value in table(OURS / "include", architecture, True).items():
            if theirs[name] != value:
                wrong.append(f"{architecture}: {name} is {value} here, {theirs[name]} there")
    names = re.findall(r"[\w$]*_[\w$]+(?=[',\s\]])", (OURS / "libSystem.tbd").read_text().split("exports:")[1])
    there = set(re.findall(r"[\w$]+", stub))
    wrong += [f"libSystem has no {name}" for name in names if name not in there and "macos" not in name]
    print("\n".join(wrong) or f"alike: {len(NUMBERS) + len(TYPES) + len(STRUCTURES)} numbers and sizes, {len(names)} names")
    return 1 if wrong else 0


sys.exit(main())
