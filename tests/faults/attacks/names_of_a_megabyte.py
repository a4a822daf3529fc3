"""Names of a megabyte in what a report is made from: the figures stay small, and are made."""

import json
import os
import time


def attack(yard):
    output = yard.build(yard.write("main.py", "import json\nprint(json.dumps(1))\n"))
    file = output + ".trace.json"
    trace = json.load(open(file))
    for unit in trace["units"][:20]:
        unit["name"] = unit["name"] + "." + "tide" * (1 << 18)
    json.dump(trace, open(file, "w"))
    began = time.monotonic()
    done = yard.omnistasis("report", output, "--out", yard.path("report"), timeout=100)
    took = time.monotonic() - began
    if done.returncode not in (0, 3):
        return f"exit code {done.returncode}: {done.stderr[:500]}"
    return f"it took {took:.0f} s" if took > 30 else None
