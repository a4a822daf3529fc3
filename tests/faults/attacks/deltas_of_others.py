"""Deltas that take a signature away, lead out of the output, give rights, or say that they are larger than they are."""

import hashlib
import json
import os
import shutil
import struct
import subprocess

FRONT = 56


def key(yard, name):
    subprocess.run(["openssl", "genpkey", "-algorithm", "ed25519", "-out", yard.path(name)], check=True, capture_output=True)
    return yard.path(name)


def zstd(data, *options):
    return subprocess.run(["zstd", "-q", "-c", *options], input=data, capture_output=True, check=True).stdout


def changed(delta, change):
    """The delta with another description."""
    with open(delta, "rb") as file:
        data = file.read()
    stored, raw = struct.unpack_from("<QQ", data, 8)
    description = json.loads(zstd(data[FRONT : FRONT + stored], "-d"))
    assert len(json.dumps(description)) > 0 and raw > 0
    change(description)
    text = json.dumps(description).encode()
    packed = subprocess.run(["zstd", "-q", "-c", "--no-check", f"--stream-size={len(text)}"], input=text, capture_output=True, check=True).stdout
    with open(delta + ".evil", "wb") as file:
        file.write(data[:8] + struct.pack("<QQ", len(packed), len(text)) + hashlib.sha256(packed).digest() + packed + data[FRONT + stored :])
    return delta + ".evil"


def attack(yard):
    ours, theirs = key(yard, "ours.key"), key(yard, "theirs.key")
    entry = yard.write("main.py", "print('one')\n")
    old = yard.build(entry, "--sign", ours, out="old")
    folder_old = yard.build(entry, "--form", "folder", out="folder old")
    yard.write("main.py", "print('two')\n")
    results = {
        "no signature": yard.build(entry, out="unsigned"),
        "another key": yard.build(entry, "--sign", theirs, out="other"),
        "the same key": yard.build(entry, "--sign", ours, out="new"),
    }
    for what, result in results.items():
        delta = yard.path(f"{what}.delta")
        made = yard.omnistasis("delta", "make", old, result, "-o", delta)
        if made.returncode != 0:
            return f"{what}: no delta: {made.stderr}"
        shutil.copy(old, yard.path("main"))
        before = open(old, "rb").read()
        done = yard.omnistasis("delta", "apply", yard.path("main"), delta)
        after = open(yard.path("main"), "rb").read()
        if what == "the same key":
            if done.returncode != 0 or after == before:
                return f"{what}: it is refused: {done.stderr}"
        elif done.returncode != 3 or after != before or "publisher" not in done.stderr:
            return f"{what}: exit code {done.returncode}, {done.stderr}"
    # Rights and sizes.
    delta = yard.path("the same key.delta")

    def rights(description):
        description["files"][0]["mode"] = 0o6777

    shutil.copy(old, yard.path("main"))
    done = yard.omnistasis("delta", "apply", yard.path("main"), changed(delta, rights))
    if done.returncode != 0 or os.stat(yard.path("main")).st_mode & 0o7777 != 0o755:
        return f"rights of the delta: {os.stat(yard.path('main')).st_mode:o}, {done.stderr}"

    def size(description):
        for piece in description["files"][0]["pieces"]:
            if piece.get("packed", "none") != "none":
                piece["size"] = 60 << 20

    shutil.copy(old, yard.path("main"))
    evil = changed(delta, size)
    done = yard.run(["/bin/sh", "-c", f"ulimit -v 4000000; exec '{yard.options.program}' delta apply '{yard.path('main')}' '{evil}'"], environment={"HOME": yard.path("home")})
    if done.returncode != 3 or open(yard.path("main"), "rb").read() != open(old, "rb").read():
        return f"a size that is not there: exit code {done.returncode}, {done.stderr}"
    # Out of the folder.
    folder_new = yard.build(entry, "--form", "folder", out="folder new")
    delta = yard.path("folder.delta")
    made = yard.omnistasis("delta", "make", os.path.dirname(folder_old), os.path.dirname(folder_new), "-o", delta)
    if made.returncode != 0:
        return made.stderr
    os.makedirs(yard.path("outside"))
    for place in ("../outside/evil", yard.path("outside/evil"), "tree/link/evil"):

        def way(description):
            description["files"].append({**description["files"][-1], "path": place})

        target = yard.path("target")
        shutil.rmtree(target, ignore_errors=True)
        shutil.copytree(os.path.dirname(folder_old), target, symlinks=True)
        part = yard.path(".target.delta-part")
        shutil.rmtree(part, ignore_errors=True)
        os.makedirs(os.path.join(part, "tree"))
        os.symlink(yard.path("outside"), os.path.join(part, "tree/link"))
        yard.omnistasis("delta", "apply", target, changed(delta, way))
        if os.listdir(yard.path("outside")):
            return f"{place}: it was written"
        if yard.run([os.path.join(target, "main")]).stdout not in ("one\n", "two\n"):
            return f"{place}: the output does not start any more"
    return None
