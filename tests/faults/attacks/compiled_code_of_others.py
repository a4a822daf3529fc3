"""Compiled JavaScript that somebody else put into the cache is as good as none."""

import glob
import os
import shutil

from yard import OTHER


def attack(yard):
    padding = "// " + "quay " * 4000 + "\n"
    output = yard.build(yard.write("main.js", padding + "console.log('ours');\n"), "--form", "folder")
    cache = yard.path("cache")
    os.makedirs(os.path.join(cache, "omnistasis"), mode=0o700)
    environment = {"XDG_CACHE_HOME": cache, "HOME": yard.path("home")}
    (source,) = glob.glob(yard.path("out/main/tree/app/main.js"))
    with open(source) as file:
        text = file.read()
    with open(source, "w") as file:
        file.write(text.replace("ours", "evil"))  # as long as the other: the engine sees no difference
    yard.run([output], environment=environment)
    (made,) = glob.glob(os.path.join(cache, "omnistasis", "*.compiled"))
    with open(source, "w") as file:
        file.write(text)
    if yard.run([output], environment=environment).stdout != "evil\n":
        return "the attack itself does not work any more: the engine does not take what was made"
    if yard.run([output], environment={**environment, "OMNISTASIS_CHECK": "full"}).stdout != "ours\n":
        return "compiled code that is in no index was run under the full check"
    os.chmod(made, 0o666)
    if yard.run([output], environment=environment).stdout != "ours\n":
        return "a file that all can write was used"
    shutil.copy(made, yard.path("evil"))
    os.remove(made)
    os.symlink(yard.path("evil"), made)
    if yard.run([output], environment=environment).stdout != "ours\n":
        return "a link was followed"
    yard.needs_root()
    os.remove(made)
    shutil.copy(yard.path("evil"), made)
    os.chmod(made, 0o644)
    os.chown(made, OTHER, OTHER)
    if yard.run([output], environment=environment).stdout != "ours\n":
        return "a file of another user was used"
    return None
