"""Somebody else's omnistasis.toml or virtual environment lies where the victim builds: the interpreter in it is not started."""

import os

from yard import OTHER, VICTIM


def attack(yard):
    yard.needs_root()
    traces = yard.folder_of("traces", OTHER, 0o777)
    evil = yard.write("evil/python3", f"#!/bin/sh\ntouch '{traces}/evil ran'\nexec {yard.options.python} \"$@\"\n", 0o755)
    home = {"HOME": yard.folder_of("home", VICTIM)}

    def tried(entry, wants):
        done = yard.omnistasis("build", entry, "--out", os.path.join(home["HOME"], "out"), environment=home, user=VICTIM)
        if os.listdir(traces):
            return "it was started"
        if wants == "refused":
            right = done.returncode == 3 and "is another user's" in done.stderr and "OMNISTASIS_TRUSTED_OWNERS" in done.stderr
        else:
            right = done.returncode == 0
        return None if right else f"exit code {done.returncode}: {done.stderr}"

    # In the folder itself, as in one for temporary files.
    shared = yard.folder_of("shared", OTHER, 0o1777)
    entry = yard.write("shared/main.py", "print(1)\n")
    os.chown(entry, VICTIM, VICTIM)
    toml = yard.write("shared/omnistasis.toml", f'[runtime]\nhome = "{evil}"\n')
    os.chown(toml, OTHER, OTHER)
    if wrong := tried(entry, "refused"):
        return f"in the same folder: {wrong}"
    # Above the victim's own folder.
    yard.folder_of("shared/berth", VICTIM)
    inner = yard.write("shared/berth/main.py", "print(1)\n")
    os.chown(inner, VICTIM, VICTIM)
    if wrong := tried(inner, "built"):
        return f"in a folder above: {wrong}"
    # Above the version control of the project.
    top = yard.folder_of("top", VICTIM)
    yard.folder_of("top/project", VICTIM)
    yard.folder_of("top/project/.git", VICTIM)
    toml = yard.write("top/omnistasis.toml", f'[runtime]\nhome = "{evil}"\n')
    os.chown(toml, VICTIM, VICTIM)
    inner = yard.write("top/project/main.py", "print(1)\n")
    os.chown(inner, VICTIM, VICTIM)
    if wrong := tried(inner, "built"):
        return f"above the version control in {top}: {wrong}"
    # A virtual environment.
    os.remove(os.path.join(shared, "omnistasis.toml"))
    yard.write("shared/.venv/pyvenv.cfg", "home = /usr/bin\n")
    yard.write("shared/.venv/bin/python3", open(evil).read(), 0o755)
    for folder, _, files in os.walk(os.path.join(shared, ".venv")):
        for name in [folder] + [os.path.join(folder, name) for name in files]:
            os.chown(name, OTHER, OTHER)
    if wrong := tried(entry, "refused"):
        return f"a virtual environment: {wrong}"
    return None
