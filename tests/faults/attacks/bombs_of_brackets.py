"""Files that are read as JSON or as an index, and that would need a hundred times their size: refused, in little memory."""

import os


def attack(yard):
    bomb = "[" * (20 << 20)
    yard.write("main.js", "require('tide');\nconsole.log(1);\n")
    yard.write("node_modules/tide/package.json", bomb)
    yard.write("node_modules/tide/index.js", "")
    yard.write("main.py", "print(1)\n")
    output = yard.build(yard.path("main.py"))
    yard.write("out/main.trace.json", bomb)
    commands = [["trace", yard.path("main.js"), "--runtime", yard.options.node], ["report", output, "--out", yard.path("report")], ["why", output, "json"], ["prove", output]]
    if not os.path.exists(yard.options.node):
        commands = commands[1:]
    for command in commands:
        limited = f"ulimit -v 6000000; exec '{yard.options.program}' " + " ".join(f"'{word}'" for word in command)
        done = yard.run(["/bin/sh", "-c", limited], environment={"HOME": yard.path("home")}, timeout=60)
        if done.returncode in (70, 134, 137, 139) or done.returncode < 0:
            return f"{command[0]}: exit code {done.returncode}, {done.stderr[:500]}"
    return None
