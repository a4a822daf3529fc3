#!/usr/bin/env python3
"""Holds what `omnistasis inspect` reads in native files against what readelf, objdump and LLVM's readers read in them.

    tests/readers_agree.py --program PATH [FOLDER ...]

Makes files with several compilers and linkers, for several processors and systems, compares them field by field, and
then all native files of the folders. Prints how many fields of how many files were compared. Exit code 0 when all agree.
"""

import argparse
import collections
import glob
import json
import os
import re
import subprocess
import sys
import tempfile

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
ELF_MACHINES = {"Advanced Micro Devices X86-64": "x86-64", "Intel 80386": "x86", "AArch64": "aarch64", "ARM": "arm",
                "PowerPC64": "ppc64", "IBM S/390": "s390x", "RISC-V": "riscv"}
PE_MACHINES = {"0x8664": "x86-64", "0x14C": "x86", "0xAA64": "aarch64"}
MACH_PROCESSORS = {"X86_64": "x86-64", "ARM64": "aarch64"}


def run(*command, may_fail=False, **more):
    done = subprocess.run([str(word) for word in command], capture_output=True, text=True, errors="surrogateescape", **more)
    if done.returncode != 0 and not may_fail:
        sys.exit(f"{' '.join(map(str, command))}\n{done.stdout}{done.stderr}")
    return done.stdout if done.returncode == 0 else None


def tool(name):
    """Debian's names of LLVM's programs have the version behind them, or not."""
    found = sorted(glob.glob(f"/usr/bin/{name}") + glob.glob(f"/usr/bin/{name}-[0-9]*"))
    return found[0] if found else sys.exit(f"{name} is not installed")


def first(pattern, text, otherwise=""):
    match = re.search(pattern, text, re.M)
    return match.group(1) if match else otherwise


# --- What the other readers say, as inspect's JSON says it ---------------------------------------------------------------

def elf_by_readelf(file):
    text = run("readelf", "-hldW", file, env={**os.environ, "LC_ALL": "C"})
    machine = first(r"^  Machine: +(.+)$", text)
    fields = {"bits": int(first(r"^  Class: +ELF(\d+)", text)), "byte_order": first(r"^  Data: .*, (little|big) endian", text),
              "interpreter": first(r"Requesting program interpreter: (.*)\]", text), "soname": first(r"\(SONAME\) .*\[(.*)\]", text),
              "needed": re.findall(r"\(NEEDED\) .*\[(.*)\]", text), "rpath": first(r"\(RPATH\) .*\[(.*)\]", text, None),
              "runpath": first(r"\(RUNPATH\) .*\[(.*)\]", text, None)}
    if machine in ELF_MACHINES:
        fields["architecture"] = ELF_MACHINES[machine]
    kind = first(r"^  Type: +(\w+)", text)
    fields["kind"] = {"EXEC": "fixed program", "DYN": "program" if fields["interpreter"] else "library"}.get(kind, "object")
    return fields


def oldest_by_readelf(file):
    """The highest version of the C library's symbols that the file can't do without."""
    text = run("readelf", "-VW", file, env={**os.environ, "LC_ALL": "C"})
    needs = text[text.find("Version needs section"):] if "Version needs section" in text else ""
    versions = [match.group(1) for match in re.finditer(r"Name: GLIBC_([\d.]+)  Flags: (\S+)", needs) if "WEAK" not in match.group(2)]
    return max(versions, key=lambda version: [int(part) for part in version.split(".")], default=None)


def pe_by_llvm(file):
    text = run(tool("llvm-readobj"), "--file-headers", "--sections", "--coff-imports", file)
    # A driver's table of exports that is empty is an error for this reader.
    exports = run(tool("llvm-readobj"), "--coff-exports", file, may_fail=True) or ""
    header = text[: text.index("Sections [")]
    imports = []
    for block in re.findall(r"^(?:Delay)?Import \{\n(?:.*\n)*?^\}", text, re.M):
        names = [name if name else f"#{number}" for name, number in re.findall(r"^ +Symbol: (\S*) ?\((\d+)\)", block, re.M)]
        imports.append({"library": first(r"^  Name: (.*)$", block), "delayed": block.startswith("Delay"), "names": names})
    mode = first(r"^  Subsystem: .*\((0x\w+)\)", header)
    return {"bits": 64 if "Magic: 0x20B" in header else 32, "architecture": PE_MACHINES[first(r"Machine: .*\((0x\w+)\)", header)],
            "kind": "library" if "IMAGE_FILE_DLL (" in header else "program",
            "mode": {"0x2": "window", "0x3": "console"}.get(mode, "other"),
            "signed": int(first(r"CertificateTableSize: (0x\w+)", header), 16) > 8,
            "sections": re.findall(r"^    Name: (\S*) \((?:[0-9A-F]{2} ?)+\)$", text, re.M), "imports": imports,
            "exports": sorted(name for name in re.findall(r"^Export \{\n  Ordinal: .*\n  Name: (.*)\n", exports, re.M) if name)}


def imports_by_objdump(file):
    """Libraries with the number of functions of each; objdump knows only tables that are not delayed."""
    text = run("x86_64-w64-mingw32-objdump", "-p", file)
    tables = re.findall(r"DLL Name: (.*)\n\tvma: .*\n((?:\t.*\n)*)", text)
    return [(name, len(table.splitlines())) for name, table in tables]


def mach_by_llvm(file):
    images = []
    for text in re.split(r"^Mach header\n", run(tool("llvm-objdump"), "--macho", "--arch=all", "--private-headers", file), flags=re.M)[1:]:
        _, processor, _, _, kind = text.splitlines()[1].split()[:5]
        libraries = []
        for command in re.split(r"^Load command \d+\n", text, flags=re.M)[1:]:
            word = first(r"^ +cmd LC_(\S+)", command)
            if word in ("LOAD_DYLIB", "LOAD_WEAK_DYLIB", "REEXPORT_DYLIB", "LOAD_UPWARD_DYLIB"):
                versions = [first(rf"^ *{kind} version (\S+)", command) for kind in ("current", "compatibility")]
                libraries.append({"name": first(r"^ +name (.*) \(offset", command), "weak": "WEAK" in word, "reexported": "REEXPORT" in word,
                                  **dict(zip(("version", "compatible"), (re.sub(r"^(\d+\.\d+)\.0$", r"\1", one) for one in versions)))})
        own = text[text.index("LC_ID_DYLIB"):] if "LC_ID_DYLIB" in text else ""
        images.append({"architecture": MACH_PROCESSORS[processor], "kind": {"OBJECT": "object", "EXECUTE": "program", "DYLIB": "library", "BUNDLE": "bundle"}.get(kind),
                       "bits": 64 if "MH_MAGIC_64" in text else 32, "install_name": first(r"^ +name (.*) \(offset", own),
                       "oldest_system": first(r"^ +(?:minos|version) (\d\S*)", text), "signed": "LC_CODE_SIGNATURE" in text,
                       "uuid": first(r"^ +uuid (\S+)", text).replace("-", "").lower(),
                       "search_paths": re.findall(r"LC_RPATH\n.*\n +path (.*) \(offset", text), "libraries": libraries})
    return images


# --- Files to read ---------------------------------------------------------------------------------------------------------

def make_elf(folder):
    source, versions = folder + "/buoy.c", folder + "/versions"
    open(source, "w").write("int buoy(void) { return 7; }\nint bell(void) { return 8; }\n")
    open(versions, "w").write("PORT_1 { global: buoy; local: *; };\nPORT_2 { global: bell; } PORT_1;\n")
    program = folder + "/pilot.c"
    open(program, "w").write("#include <stdio.h>\nint buoy(void), bell(void);\nint main(void) { return printf(\"%d\", buoy() + bell()); }\n")
    for linker in ("bfd", "gold", "lld"):
        library = f"{folder}/{linker}-libbuoy.so.1"
        run("cc", "-g", "-shared", "-fPIC", source, "-o", library, f"-fuse-ld={linker}", f"-Wl,--version-script={versions},-soname,libbuoy.so.1")
        for tags, shape in (("--enable-new-dtags", "-pie"), ("--disable-new-dtags", "-no-pie")):
            run("cc", program, library, "-o", f"{folder}/{linker}{tags}", f"-fuse-ld={linker}", shape, f"-Wl,{tags},-rpath,$ORIGIN/../lib:/opt/port")
    run("cc", "-c", source, "-o", folder + "/buoy.o")
    run("cc", "-static", "-o", folder + "/alone", folder + "/buoy.o", "-x", "c", "-", input="int main(void) { return 0; }")
    for target in ("i386", "arm", "aarch64", "mips", "powerpc64", "riscv64"):
        run("clang", "-target", target + "-linux-gnu", "-fuse-ld=lld", "-nostdlib", "-shared", "-fPIC", source, "-o", f"{folder}/{target}.so",
            "-Wl,-soname,libbuoy.so.2,-rpath,$ORIGIN")


def make_pe(folder):
    open(folder + "/tide.def", "w").write("LIBRARY tide.dll\nEXPORTS\n high @3\n low @7 NONAME\n")
    open(folder + "/tide.c", "w").write("int high(void) { return 2; }\nint low(void) { return 1; }\n")
    open(folder + "/quay.c", "w").write("__declspec(dllimport) int high(void), low(void);\nint start(void) { return high() - low(); }\n"
                                        "void *__stdcall __delayLoadHelper2(void *a, void *b) { return a ? a : b; }\n")
    for target, machine in (("x86_64", "x64"), ("i686", "x86"), ("aarch64", "arm64")):
        at = f"{folder}/{target}-"
        for name in ("tide", "quay"):
            run("clang", "-target", target + "-pc-windows-msvc", "-c", f"{folder}/{name}.c", "-o", f"{at}{name}.obj")
        link = (tool("lld-link"), f"/machine:{machine}", "/nodefaultlib")
        run(*link, "/dll", "/noentry", f"/def:{folder}/tide.def", f"{at}tide.obj", f"/out:{at}tide.dll", f"/implib:{at}tide.lib")
        for name, more in (("quay", ["/subsystem:console"]), ("late", ["/subsystem:windows", "/delayload:tide.dll"])):
            run(*link, "/entry:start", *more, f"{at}quay.obj", f"{at}tide.lib", f"/out:{at}{name}.exe")
    open(folder + "/bell.c", "w").write("#include <winsock2.h>\nint main(void) { return (int)htons(1) + (MessageBeep(0) != 0); }\n")
    run("x86_64-w64-mingw32-gcc", "-g", folder + "/bell.c", "-o", folder + "/bell.exe", "-lws2_32")


def make_mach_o(folder):
    system = ROOT + "/launcher/macos/libSystem.tbd"
    open(folder + "/bell.c", "w").write("int bell(void) { return 8; }\n")
    open(folder + "/main.c", "w").write("int bell(void);\nint main(void) { return bell(); }\n")
    for processor in ("arm64", "x86_64"):
        at = f"{folder}/{processor}-"
        for name in ("bell", "main"):
            run("clang", "-target", processor + "-apple-macos11", "-c", f"{folder}/{name}.c", "-o", f"{at}{name}.o")
        link = (tool("ld64.lld"), "-arch", processor, "-platform_version", "macos", "11.0", "12.3")
        run(*link, "-dylib", "-install_name", "@rpath/libbell.dylib", "-current_version", "3.2.1", "-compatibility_version", "3.0",
            f"{at}bell.o", system, "-o", f"{at}libbell.dylib")
        run(*link, f"{at}main.o", system, "-rpath", "@loader_path/../lib", "-weak_library", f"{at}libbell.dylib", "-adhoc_codesign", "-o", f"{at}main")
    run(tool("llvm-lipo"), "-create", folder + "/arm64-main", folder + "/x86_64-main", "-output", folder + "/both")


# --- Holding them together ----------------------------------------------------------------------------------------------

class Comparison:
    def __init__(self):
        self.fields, self.files, self.differences = collections.Counter(), collections.defaultdict(set), []

    def hold(self, file, kind, ours, theirs):
        self.files[kind].add(file)
        for name, value in theirs.items():
            self.fields[kind] += 1
            if ours.get(name) != value:
                self.differences.append(f"{file}: {name}: {ours.get(name)!r}, but another reader says {value!r}")

    def look(self, one):
        file = one["file"]
        if "elf" in one:
            self.hold(file, "ELF", one["elf"], elf_by_readelf(file))
            if "libc.so" not in one["elf"]["soname"]:
                ours = one.get("c_library", [{"version": None}])[0]["version"]
                self.hold(file, "ELF", {"c_library": ours}, {"c_library": oldest_by_readelf(file)})
        elif "pe" in one:
            ours = {"imports": [], **one["pe"], "exports": sorted(one["pe"].get("exports", []))} # LLVM has them by number
            self.hold(file, "PE", ours, pe_by_llvm(file))
            at_once = [(table["library"], len(table["names"])) for table in ours["imports"] if not table["delayed"]]
            if ours["architecture"] != "aarch64":
                self.hold(file, "PE", {"by objdump": at_once}, {"by objdump": imports_by_objdump(file)})
        elif "mach_o" in one:
            theirs = mach_by_llvm(file)
            ours = one["mach_o"]["images"]
            self.hold(file, "Mach-O", {"images": len(ours)}, {"images": len(theirs)})
            for our_image, their_image in zip(ours, theirs):
                self.hold(file, "Mach-O", our_image, their_image)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(ROOT, "build/release/bin/omnistasis"))
    parser.add_argument("folders", nargs="*", metavar="FOLDER")
    options = parser.parse_args()
    comparison = Comparison()
    with tempfile.TemporaryDirectory(prefix="omnistasis readers ") as made:
        for make in (make_elf, make_pe, make_mach_o):
            os.makedirs(f"{made}/{make.__name__}")
            make(f"{made}/{make.__name__}")
        for folder in (made, *options.folders):
            for one in json.loads(run(options.program, "inspect", "--json", folder))["files"]:
                if "error" not in one:
                    comparison.look(one)
    for difference in comparison.differences:
        print(difference)
    for kind in comparison.files:
        print(f"{kind}: {comparison.fields[kind]} fields of {len(comparison.files[kind])} files compared")
    return 1 if comparison.differences or len(comparison.files) != 3 else 0


sys.exit(main())
