"""A pipe stands where a file is read: nothing waits for somebody to write into it."""

import os


def attack(yard):
    output = yard.build(yard.write("main.py", "print('ours')\n"))
    cache, pipe = yard.path("cache"), yard.path("pipe")
    environment = {"OMNISTASIS_CACHE": cache, "HOME": yard.path("home")}
    os.mkfifo(pipe)
    done = yard.run([output], environment={**environment, "OMNISTASIS_TIMES": pipe}, timeout=20)
    if done.stdout != "ours\n":
        return f"OMNISTASIS_TIMES: {done.stderr}"
    marker = os.path.join(yard.tree_in(cache), ".complete")
    os.remove(marker)
    os.mkfifo(marker)
    done = yard.run([output], environment=environment, timeout=20)
    if done.stdout != "ours\n":
        return f".complete: {done.stderr}"
    added = yard.omnistasis("runtimes", "add", pipe, timeout=20)
    return None if added.returncode == 3 else f"runtimes add: exit code {added.returncode}, {added.stderr}"
