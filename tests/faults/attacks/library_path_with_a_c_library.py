"""LD_LIBRARY_PATH leads to a C library that the system's loader does not fit: the application starts all the same."""

import os

SOURCE = """import os, subprocess
print(os.environ['LD_LIBRARY_PATH'])
print(subprocess.run(['/usr/bin/env'], capture_output=True, text=True, env={}).returncode)
print([name for name in os.environ if 'KEPT' in name])
"""


def attack(yard):
    output = yard.build(yard.write("main.py", SOURCE))
    folder = yard.path("other libraries")
    os.makedirs(folder)
    with open(os.path.join(folder, "libc.so.6"), "wb") as file:
        file.write(b"\x7fELF of another build")
    for value in (folder, f"/nowhere:{folder}", f"{folder}:/nowhere"):
        done = yard.run([output], environment={"OMNISTASIS_CACHE": yard.path("cache"), "LD_LIBRARY_PATH": value})
        if done.stdout != f"{value}\n0\n[]\n":
            return f"{value}: exit code {done.returncode}, {done.stdout}{done.stderr}"
    return None
