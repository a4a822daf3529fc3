"""An output that calls itself by a path: what is written about it lies beside it all the same."""

import hashlib
import os
import struct


def attack(yard):
    output = yard.build(yard.write("tideboards.py", "print(1)\n"))
    content = bytearray(open(output, "rb").read())
    trailer = len(content) - 128
    payload, head, size = struct.unpack_from("<Q8x2Q", content, trailer + 16)
    head += payload
    at = content.index(struct.pack("<I", 10) + b"tideboards", head, head + size)
    content[at + 4 : at + 14] = b"../another"
    content[trailer + 72 : trailer + 104] = hashlib.sha256(content[head : head + size]).digest()
    content[trailer + 120 :] = hashlib.sha256(content[trailer : trailer + 120]).digest()[:8]
    odd = yard.write("out/odd", bytes(content), 0o755)
    for command in (["inspect", odd], ["prove", odd], ["profile", odd, "--runs", "1"], ["report", odd, "--out", yard.path("report")]):
        done = yard.omnistasis(*command)
        if done.returncode not in (0, 1, 3):
            return f"{command[0]}: exit code {done.returncode}: {done.stderr[:500]}"
    written = [name for name in os.listdir(yard.path()) if name.startswith("another")]
    if written:
        return f"it wrote {written}"
    return None if os.path.exists(yard.path("out", "odd.proof.json")) else "nothing was written beside it: " + yard.omnistasis("prove", odd).stdout[:500]
