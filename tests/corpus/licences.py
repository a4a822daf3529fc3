#!/usr/bin/env python3
"""Compares the licences that a report names with what Debian's copyright files say, for the packages of the corpus.

    tests/corpus/licences.py [--program build/release/bin/omnistasis]

Each installed package of corpus/packages.txt is taken twice: as the system has it, and as a copy outside of the system's
folders, where only its own metadata and licence files can tell. The copyright files (machine-readable format 1.0) are read
here anew. Prints how many agree, and the table of the rest. Exit code 0 where at least 98 % of the first kind agree.
"""

import argparse
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile

HERE = os.path.dirname(os.path.abspath(__file__))
ROOT = os.path.dirname(os.path.dirname(HERE))
NAMES = {"expat": "MIT", "apache-2": "Apache-2.0", "apache2": "Apache-2.0", "apache": "Apache-2.0", "psf": "PSF-2.0", "psf-2": "PSF-2.0", "python": "PSF-2.0", "zpl-2.1": "ZPL-2.1", "zope-2.1": "ZPL-2.1", "mpl-2": "MPL-2.0", "public-domain": "LicenseRef-public-domain", "bsd-3": "BSD-3-Clause", "bsd-2": "BSD-2-Clause", "bsd3": "BSD-3-Clause", "mit-cmu": "HPND", "pil": "HPND", "x11": "X11", "artistic-2": "Artistic-2.0", "artistic": "Artistic-1.0"}


def spdx(name):
    """The SPDX name for a short name of Debian's."""
    lower = name.lower()
    gpl = re.fullmatch(r"(a|l)?gpl-?v?([123](?:\.[01])?)(\+|-or-later|-only)?", lower)
    if gpl:
        version = gpl.group(2) if "." in gpl.group(2) else gpl.group(2) + ".0"
        return f"{(gpl.group(1) or '').upper()}GPL-{version}-{'or-later' if gpl.group(3) in ('+', '-or-later') else 'only'}"
    return NAMES.get(lower, name)


def of_copyright(package):
    """The licences of most files of a package, as a set of SPDX names; None where the file is not machine-readable."""
    try:
        with open(f"/usr/share/doc/{package}/copyright", encoding="utf-8", errors="replace") as file:
            text = file.read()
    except OSError:
        return None
    if "copyright-format/1" not in text[:2000]:
        return None
    for stanza in re.split(r"\n\s*\n", text):
        fields = dict(re.findall(r"^(Files|License):[ \t]*(.*)", stanza, re.M))
        if fields.get("Files", "").startswith("*") and fields.get("License"):
            said = re.sub(r"\bwith\b.*?(?=\band\b|\bor\b|,|$)", "", fields["License"], flags=re.I)
            return {spdx(word) for word in re.split(r"[\s,()|]+", said) if word and word.lower() not in ("and", "or", "and/or", "exception")}
    return None


def modules_of(package):
    """Top-level modules that a package brings."""
    names = set()
    with open(f"/var/lib/dpkg/info/{package}.list") as listing:
        for line in listing:
            found = re.fullmatch(r"/usr/lib/python3/dist-packages/([A-Za-z_][A-Za-z0-9_]*)(?:/__init__\.py|\.py)\n", line)
            if found:
                names.add(found.group(1))
    return sorted(names)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--program", default=os.path.join(ROOT, "build/release/bin/omnistasis"))
    options = parser.parse_args()
    with open(os.path.join(HERE, "packages.txt")) as file:
        wanted = [line.strip() for line in file if line.strip() and not line.startswith("#")]
    packages = {}
    for package in wanted:
        if package.startswith("python3-") and os.path.exists(f"/var/lib/dpkg/info/{package}.list") and of_copyright(package) and modules_of(package):
            packages[package] = modules_of(package)
    right = {"system": 0, "own": 0}
    rest = []
    with tempfile.TemporaryDirectory() as folder:
        for way in right:
            work = os.path.join(folder, way)
            os.makedirs(work)
            with open(os.path.join(work, "main.py"), "w") as file:
                for modules in packages.values():
                    file.write("".join(f"import {name}\n" for name in modules[:3]))
            environment = dict(os.environ)
            if way == "own":
                for package in packages:
                    copy_package(package, os.path.join(folder, "packages"))
                environment["PYTHONPATH"] = os.path.join(folder, "packages")
            command = [options.program, "report", os.path.join(work, "main.py"), "-q", "--json", "--runtime", "/usr/bin/python3", "-o", os.path.join(work, "report")]
            done = subprocess.run(command, capture_output=True, text=True, env=environment, cwd=work)
            if done.returncode != 0:
                print(done.stderr, file=sys.stderr)
                return 1
            facts = json.loads(done.stdout)
            owner_of = {}
            for piece in facts["pieces"]:
                if piece["component"] and piece["kind"] in ("module", "code", "extension"):
                    owner_of.setdefault(piece["name"].split(".")[0], piece["component"])
            components = {one["name"]: one for one in facts["components"]}
            for package, modules in packages.items():
                truth = of_copyright(package)
                named = [components[name] for name in sorted({owner_of[module] for module in modules[:3] if module in owner_of})]
                said = {word for one in named for word in re.split(r"[\s()]+", one["licence"]) if word and word not in ("AND", "OR")}
                # Of a longer truth the licence of the package itself is enough where only its own files can tell.
                same = {word.lower() for word in said} == {("licenseref-" + word.lower() if word.lower() not in {one.lower() for one in said} else word.lower()) for word in truth}
                # "BSD" alone may be any of them.
                same = same or (truth == {"BSD"} and said and all(word.startswith("BSD-") for word in said))
                if said == truth or same or (way == "own" and said and said <= truth):
                    right[way] += 1
                else:
                    rest.append((way, package, " ".join(sorted(truth)), " ".join(sorted(said)) or "-", "; ".join(sorted({one["said_by"] for one in named}))))
    for way, words in (("system", "as the system has them"), ("own", "by their own metadata and files")):
        print(f"{words}: {right[way]} of {len(packages)} agree ({100 * right[way] / max(1, len(packages)):.1f} %)")
    for line in rest:
        print("  " + "  |  ".join(line))
    return 0 if right["system"] >= 0.98 * len(packages) else 1


def copy_package(package, to):
    os.makedirs(to, exist_ok=True)
    with open(f"/var/lib/dpkg/info/{package}.list") as listing:
        for line in listing:
            path = line.rstrip("\n")
            inner = os.path.relpath(path, "/usr/lib/python3/dist-packages")
            if inner.startswith("..") or not os.path.isfile(path) or os.path.islink(path):
                continue
            os.makedirs(os.path.dirname(os.path.join(to, inner)), exist_ok=True)
            shutil.copy(path, os.path.join(to, inner))


sys.exit(main())
