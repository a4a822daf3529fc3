"""What lies beside a signed program could be changed after it was checked: a folder is not signed at all."""

import os
import subprocess


def attack(yard):
    key = yard.path("publisher.key")
    subprocess.run(["openssl", "genpkey", "-algorithm", "ed25519", "-out", key], check=True, capture_output=True)
    entry = yard.write("main.py", "print('ours')\n")
    done = yard.omnistasis("build", entry, "--runtime", yard.options.python, "--sign", key, "--form", "folder", "--out", yard.path("out"))
    if done.returncode != 3 or "--form file" not in done.stderr:
        return f"exit code {done.returncode}: {done.stderr}"
    return "something was written" if os.path.exists(yard.path("out", "main")) else None
