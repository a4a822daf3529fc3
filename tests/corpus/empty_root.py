"""What an empty root has: the host libraries of the target."""

import functools
import os
import re
import subprocess

ROOT = os.path.dirname(os.path.dirname(os.path.dirname(os.path.abspath(__file__))))


def host_list():
    with open(os.path.join(ROOT, "data/hosts/linux-x86_64.toml")) as file:
        return file.read()


def patterns_of(names):
    return [re.compile(re.escape(name).replace(r"\*", ".*") + "$") for name in names]


@functools.cache
def driver_arguments():
    """The same for the drivers of graphics cards and what those need: for programs that draw with them, as no file of an application can."""
    patterns = patterns_of(re.findall(r'"([^"]+)"', re.search(r"^drivers = \[(.*?)^\]", host_list(), re.M | re.S).group(1)))
    arguments, shown = [], set()
    for folder in ("/lib/x86_64-linux-gnu", "/usr/lib/x86_64-linux-gnu/dri"):
        for name in sorted(os.listdir(folder)) if os.path.isdir(folder) else []:
            if not any(pattern.match(name) for pattern in patterns):
                continue
            path = os.path.join(folder, name)
            needed = subprocess.run(["ldd", path], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True).stdout
            for one in [path, *re.findall(r"=> (/\S+)", needed)]:
                if one not in shown:
                    shown.add(one)
                    arguments += ["--ro-bind", os.path.realpath(one), one]
    for folder in ("/usr/share/glvnd", "/usr/share/drirc.d"):
        arguments += ["--ro-bind-try", folder, folder]
    return arguments


def host_arguments():
    """bwrap arguments that show the target's host libraries and nothing else."""
    patterns = patterns_of(re.findall(r'^    "(.*)",$', host_list(), re.M))
    arguments = []
    for folder in ("/lib/x86_64-linux-gnu", "/lib64"):
        for name in sorted(os.listdir(folder)):
            if any(pattern.match(name) for pattern in patterns):
                arguments += ["--ro-bind", os.path.realpath(os.path.join(folder, name)), os.path.join(folder, name)]
    return arguments
