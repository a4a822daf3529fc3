"""Fourteen asset folders, each with links to all: told to be too much, soon."""

import os
import time


def attack(yard):
    yard.write("main.py", "print(1)\n")
    names = [f"charts/{number}" for number in range(14)]
    for name in names:
        yard.write(f"{name}/tides.txt", "x")
    for name in names:
        for other in names:
            if other != name:
                os.symlink(yard.path(other), yard.path(name, "to " + os.path.basename(other)))
    began = time.monotonic()
    done = yard.omnistasis("build", "main.py", "--runtime", yard.options.python, "--asset", "charts", "--out", yard.path("out"), timeout=100)
    if done.returncode != 3 or "circles" not in done.stderr:
        return f"exit code {done.returncode}: {done.stderr[:500]}"
    took = time.monotonic() - began
    return f"it took {took:.0f} s" if took > 30 else None
