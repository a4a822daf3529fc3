"""No attack: the home that the user database names lies in a folder of somebody else, who administers homes. It is used."""

import os

from yard import OTHER, VICTIM


def attack(yard):
    yard.needs_root()
    yard.write("log.txt", "ours")
    output = yard.build(yard.write("main.py", "import os\nprint(open(os.path.join(os.path.dirname(__file__), 'log.txt')).read())\n"), "--state", "log.txt")
    yard.folder_of("homes", OTHER)
    home = yard.folder_of("homes/victim", VICTIM, 0o700)
    passwd = yard.write("passwd", f"root:x:0:0::/root:/bin/sh\nvictim:x:{VICTIM}:{VICTIM}::{home}:/bin/sh\n")

    def start(where):
        inner = f"mount --bind '{passwd}' /etc/passwd && HOME='{where}' exec setpriv --reuid={VICTIM} --regid={VICTIM} --clear-groups '{output}'"
        return yard.run(["unshare", "-m", "/bin/sh", "-c", inner])

    done = start(home)
    if done.stdout != "ours\n" or not os.path.isdir(os.path.join(home, ".local/share/main")):
        return f"the user's home is not used: exit code {done.returncode}, {done.stdout}{done.stderr}"
    return None
