"""Deltas are applied to one output at once, and others after one that was stopped: it is always one of the whole outputs."""

import os
import random
import shutil
import signal
import subprocess
import time


def attack(yard):
    entry = yard.write("main.py", "print(1)\n")
    yard.write("charts.bin", random.Random(7).randbytes(4 << 20))
    outputs = []
    for number in (1, 2, 3):
        yard.write("main.py", f"print({number})\n")
        with open(yard.path("charts.bin"), "r+b") as file:
            file.seek(number << 20)
            file.write(random.Random(number).randbytes(1 << 19))
        outputs.append(yard.build(entry, "--asset", yard.path("charts.bin"), out=f"out {number}"))
    deltas = []
    for number in (2, 3):
        deltas.append(yard.path(f"to {number}"))
        assert yard.omnistasis("delta", "make", outputs[0], outputs[number - 1], "-o", deltas[-1]).returncode == 0
    whole = {open(output, "rb").read() for output in outputs}
    environment = {"HOME": yard.path("home"), "PATH": "/usr/bin:/bin"}
    target = yard.path("main")

    def start(delta):
        return subprocess.Popen([yard.options.program, "delta", "apply", target, delta], env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)

    for round_number in range(yard.races):
        shutil.copy(outputs[0], target)
        crowd = [start(deltas[number % 2]) for number in range(6)]
        for one in crowd:
            one.communicate()
        if open(target, "rb").read() not in whole:
            return f"in round {round_number} it is none of the outputs"
    # One that is stopped, then another.
    for _ in range(yard.races):
        shutil.copy(outputs[0], target)
        first = start(deltas[0])
        time.sleep(random.random() * 0.05)
        first.send_signal(signal.SIGKILL)
        first.wait()
        second = start(deltas[1])
        err = second.communicate()[1]
        now = open(target, "rb").read()
        if now not in whole or (second.returncode == 0 and now != open(outputs[2], "rb").read()):
            return f"after one that was stopped: {err}"
    left = [name for name in os.listdir(yard.folder) if "delta-part" in name]
    return f"left behind: {left}" if left and second.returncode == 0 else None
