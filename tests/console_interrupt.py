#!/usr/bin/env python3
"""Starts a command on a terminal, types Ctrl-C once it has printed a text, and tells what it printed and its exit code.

    tests/console_interrupt.py TEXT COMMAND ...
"""
import os
import pty
import select
import sys
import time

process, terminal = pty.fork()
if process == 0:
    os.execvp(sys.argv[2], sys.argv[2:])
printed, typed, end = b"", False, time.monotonic() + 60
while time.monotonic() < end:
    if select.select([terminal], [], [], 0.2)[0]:
        try:
            piece = os.read(terminal, 4096)
        except OSError:
            break
        if not piece:
            break
        printed += piece
    if not typed and sys.argv[1].encode() in printed:
        os.write(terminal, b"\x03")
        typed = True
print(printed.decode(errors="replace"))
sys.exit(os.waitstatus_to_exitcode(os.waitpid(process, 0)[1]))
