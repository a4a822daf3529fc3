"""Names of files, with what a terminal takes for commands: shown, not carried out."""

import os


def attack(yard):
    name = "tide\x1b]0;owned\x07\x1b[2J\x9bboard.txt".encode("utf-8", "surrogateescape").decode("utf-8")
    yard.write("main.py", f"open({name!r})\nimport no_such_berth\n")
    yard.write(name, "x")
    for arguments in (("trace", "main.py"), ("build", "main.py", "--asset", "no*" + name), ("build", name), ("why", "main.py", name)):
        done = yard.omnistasis(*arguments, "--runtime", yard.options.python) if arguments[0] != "why" else yard.omnistasis(*arguments)
        for text in (done.stdout, done.stderr):
            if any(sign in text for sign in "\x1b\x07\x9b"):
                return f"{arguments}: {text!r}"
    yard.build(yard.write("plain.py", "print(1)\n"), "--asset", yard.path(name))
    done = yard.omnistasis("inspect", yard.path("out/plain"), "--files")
    if any(sign in done.stdout + done.stderr for sign in "\x1b\x07\x9b"):
        return f"inspect: {done.stdout!r}"
    return None
