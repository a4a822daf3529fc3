"""Builds are killed: the next one in the same folder takes away what they left, and nothing of one that is running."""

import os
import random
import signal
import subprocess
import time


def attack(yard):
    entry = yard.write("main.py", "print('ours')\n")
    yard.write("charts.bin", os.urandom(12 << 20))
    out = yard.path("out")
    command = [yard.options.program, "build", entry, "--runtime", yard.options.python, "--asset", yard.path("charts.bin"), "--out", out, "-q"]
    environment = {"HOME": yard.path("home"), "PATH": "/usr/bin:/bin"}
    left = 0
    for _ in range(max(yard.races, 20)):
        process = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        until = time.monotonic() + 5
        while time.monotonic() < until and process.poll() is None:
            if os.path.isdir(out) and any(".staging-" in name for name in os.listdir(out)):
                break
        time.sleep(random.random() * 0.02)
        process.send_signal(signal.SIGKILL)
        process.wait()
        left += any(".staging-" in name for name in os.listdir(out)) if os.path.isdir(out) else 0
    if left == 0:
        return "the attack itself does not work any more: no killed build left anything"
    crowd = [subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE) for _ in range(4)]
    for one in crowd:
        err = one.communicate()[1]
        if one.returncode != 0:
            return f"one of several builds at once failed: {err}"
    stays = [name for name in os.listdir(out) if ".staging-" in name]
    if stays:
        return f"left behind: {stays}"
    return None if yard.run([os.path.join(out, "main")]).stdout == "ours\n" else "the output does not start"
