"""Files of a tree in the cache are emptied or gone: as after a power cut, or by somebody who clears caches."""

import glob
import os
import shutil
import time


def attack(yard):
    output = yard.build(yard.write("main.py", "print('ours')\n"))
    cache = yard.path("cache")
    environment = {"OMNISTASIS_CACHE": cache, "HOME": yard.path("home")}

    def start():
        return yard.run([output], environment=environment)

    start()
    tree = yard.tree_in(cache)
    marker = os.path.join(tree, ".complete")
    (program,) = glob.glob(os.path.join(tree, "bin", "python3*"))
    (store,) = glob.glob(os.path.join(tree, "lib", "*", "modules.store"))

    def idle():
        os.utime(marker, (time.time() - 2 * 86400,) * 2)

    def other_run():
        """As if the system had been started anew since the tree was put there."""
        with open(marker, "r+b") as file:
            file.seek(32)
            file.write(b"0" * 36)

    def zeros():
        size = os.path.getsize(store)
        with open(store, "wb") as file:
            file.write(b"\0" * size)
        other_run()

    def empty_store_later():
        open(store, "w").close()
        idle()

    damages = {
        "the program is empty": lambda: open(program, "w").close(),
        "the program is gone": lambda: os.remove(program),
        "all but the mark is gone": lambda: [shutil.rmtree(os.path.join(tree, name), ignore_errors=True) for name in os.listdir(tree)],
        "a file was emptied, on the next day": empty_store_later,
        "zeros of the right size, after a power cut": zeros,
    }
    for what, damage in damages.items():
        damage()
        done = start()
        if done.stdout != "ours\n":
            return f"{what}: exit code {done.returncode}, {done.stdout}{done.stderr}"
        if start().stdout != "ours\n":
            return f"{what}: the second start fails"
    other_run()
    if start().stdout != "ours\n" or os.path.getsize(marker) != 32:
        return "a whole tree is not known to be on the disk in the next run of the system"
    return None
