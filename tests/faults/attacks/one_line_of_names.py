"""A file of one line that holds the names of secrets over and over: it is searched once, and not once for each of them."""

import time


def attack(yard):
    line = "[" + ", ".join(f'"password token secret {number}"' for number in range(200_000)) + "]"
    yard.write("names.json", line)
    entry = yard.write("main.py", "import os\nprint(os.path.getsize(os.path.join(os.path.dirname(__file__), 'names.json')))\n")
    began = time.monotonic()
    yard.build(entry)
    took = time.monotonic() - began
    return f"it took {took:.0f} s" if took > 30 else None
