"""The environment names folders that somebody else can change: of another user, or writable for all."""

import os
import shutil

from yard import OTHER, VICTIM


def attack(yard):
    yard.needs_root()
    output = yard.build(yard.write("main.py", "print('ours')\n"))
    home = yard.folder_of("home", VICTIM)
    base = yard.path("base")
    cases = [("XDG_CACHE_HOME", OTHER, 0o755), ("XDG_CACHE_HOME", VICTIM, 0o777), ("XDG_CACHE_HOME", VICTIM, 0o757)]
    for variable, owner, mode in cases:
        for inner in ("", "deeper/still"):
            shutil.rmtree(base, ignore_errors=True)
            yard.folder_of("base", owner, mode)
            if inner:
                for step in ("base/deeper", "base/deeper/still"):
                    yard.folder_of(step, VICTIM)
            done = yard.run([output], user=VICTIM, environment={variable: os.path.join(base, inner).rstrip("/"), "HOME": home})
            if done.stdout != "ours\n":
                return f"it does not start from another folder: {done.stderr}"
            if os.path.exists(os.path.join(base, inner, "omnistasis")):
                return f"it used a folder of user {owner} with mode {mode:o}, {inner or 'itself'}"
    # Root, with the environment of the user who called.
    other_home = yard.folder_of("other home", OTHER)
    done = yard.run([output], environment={"HOME": other_home})
    if done.stdout != "ours\n" or os.listdir(other_home):
        return f"root used the caller's home: {done.stdout}{done.stderr}{os.listdir(other_home)}"
    named = yard.run([output], environment={"OMNISTASIS_CACHE": other_home})
    if named.returncode != 121 or other_home not in named.stderr:
        return f"a named folder of others was used: {named.stdout}{named.stderr}"
    return None
