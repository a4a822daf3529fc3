"""What an empty root has: the host libraries of the target."""

import os
import re

ROOT = os.path.dirname(os.path.dirname(os.path.dirname(os.path.abspath(__file__))))


def host_arguments():
    """bwrap arguments that show the target's host libraries and nothing else."""
    with open(os.path.join(ROOT, "notes/hosts/linux-x86_64.toml")) as file:
        names = re.findall(r'^    "(.*)",$', file.read(), re.M)
    patterns = [re.compile(re.escape(name).replace(r"\*", ".*") + "$") for name in names]
    arguments = []
    for folder in ("/lib/x86_64-linux-gnu", "/lib64"):
        for name in sorted(os.listdir(folder)):
            if any(pattern.match(name) for pattern in patterns):
                arguments += ["--ro-bind", os.path.realpath(os.path.join(folder, name)), os.path.join(folder, name)]
    return arguments
