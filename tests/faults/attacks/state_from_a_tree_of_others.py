"""The list of trees in the data folder names one that somebody else filled."""

import os

from yard import OTHER, VICTIM


def attack(yard):
    yard.needs_root()
    entry = yard.write("main.py", "import os\nprint(open(os.path.join(os.path.dirname(__file__), 'log.txt')).read())\n")
    yard.write("log.txt", "ours")
    output = yard.build(entry, "--state", "log.txt")
    home = yard.folder_of("home", VICTIM)
    environment = {"HOME": home}
    if yard.run([output], user=VICTIM, environment=environment).stdout != "ours\n":
        return "it does not start"
    data = os.path.join(home, ".local/share/main")
    yard.folder_of("theirs", OTHER)
    yard.folder_of("theirs/app", OTHER)
    yard.write("theirs/app/log.txt", "evil")
    os.utime(yard.path("theirs/app/log.txt"), (2**31, 2**31))
    with open(os.path.join(data, ".omnistasis.trees"), "a") as file:
        file.write(yard.path("theirs") + "\n")
    done = yard.run([output], user=VICTIM, environment=environment)
    if done.stdout != "ours\n":
        return f"state of another user was taken: {done.stdout}{done.stderr}"
    # The list itself, written by another; and a data folder that others can write.
    os.chown(os.path.join(data, ".omnistasis.trees"), OTHER, OTHER)
    yard.folder_of("theirs", VICTIM)
    yard.folder_of("theirs/app", VICTIM)
    os.chown(yard.path("theirs/app/log.txt"), VICTIM, VICTIM)
    done = yard.run([output], user=VICTIM, environment=environment)
    if done.stdout != "ours\n":
        return f"a list of another user was used: {done.stdout}{done.stderr}"
    os.chmod(data, 0o777)
    done = yard.run([output], user=VICTIM, environment=environment)
    return None if done.returncode == 121 and data in done.stderr else f"a folder that all can write was used: {done.stdout}{done.stderr}"
