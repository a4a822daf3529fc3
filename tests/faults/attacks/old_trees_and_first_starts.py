"""Idle old trees are taken away while the same version starts: no start finds an empty tree that is marked complete."""

import concurrent.futures
import os
import time


def attack(yard):
    ours = yard.build(yard.write("main.py", "print('ours')\n"))
    other = yard.build(yard.write("new/main.py", "print('new one')\n"), out="new out")
    environment = {"OMNISTASIS_CACHE": yard.path("cache"), "HOME": yard.path("home")}
    cache = yard.path("cache", "omnistasis")

    def start(output):
        return yard.run([output], environment=environment)

    start(ours)
    for _ in range(yard.races):
        # All trees look as if nobody had started them for a week.
        for name in os.listdir(cache):
            marker = os.path.join(cache, name, ".complete")
            if os.path.exists(marker):
                os.utime(marker, (time.time() - 7 * 86400,) * 2)
        with concurrent.futures.ThreadPoolExecutor(8) as pool:
            done = list(pool.map(start, [other, ours, ours, other, ours, other, ours, ours]))
        for one in done:
            if one.returncode != 0 or one.stdout not in ("ours\n", "new one\n"):
                return f"a start failed: exit code {one.returncode}, {one.stdout}{one.stderr}"
    return None
