"""Pictures that take any amount of time or memory: told to be too much, soon, with little of either."""

import resource
import struct
import time
import zlib


def png(width, height):
    def chunk(kind, content):
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    packer = zlib.compressobj(9)
    row = bytes(width * 4 + 1)
    rows = b"".join(packer.compress(row) for _ in range(height)) + packer.flush()
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


def svg(inner, head=""):
    return f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="64" height="64">{head}{inner}</svg>'


def pictures():
    yield "filters", svg('<rect width="64" height="64" filter="url(#f)"/>', '<filter id="f">' + '<feGaussianBlur stdDeviation="900"/><feMorphology operator="dilate" radius="900"/>' * 400 + "</filter>")
    yield "selectors", svg("<g>" * 900 + '<rect width="9" height="9"/>' + "</g>" * 900, "<style>" + "g " * 5000 + "rect { fill: red }</style>")
    yield "text", svg('<text font-size="9">' + "tide " * 200000 + "</text>")
    yield "uses", svg("".join(f'<g id="u{n}">' + f'<use xlink:href="#u{n - 1}"/>' * 10 + "</g>" for n in range(1, 14)), '<g id="u0"><rect width="1" height="1"/></g>')
    yield "pixels", png(16384, 16384)
    large = png(6000, 6000)
    count = 40
    heads = b"".join(struct.pack("<BBBBHHII", 0, 0, 0, 0, 1, 32, len(large), 6 + 16 * count) for _ in range(count))
    yield "an ICO of forty", struct.pack("<HHH", 0, 1, count) + heads + large


def attack(yard):
    yard.write("main.py", "print('ours')\n")
    for what, content in pictures():
        if what == "text" and yard.races < 100:
            continue  # it meets the same bound as the filters, and takes as long
        icon = yard.write("icon", content)
        began = time.monotonic()
        # All address space of the command itself is bounded; what draws has its own bound.
        done = yard.omnistasis("build", "main.py", "--runtime", yard.options.python, "--icon", icon, "--out", yard.path("out " + what), timeout=100)
        took = time.monotonic() - began
        peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss >> 10
        if done.returncode not in (0, 3):
            return f"{what}: exit code {done.returncode}, {done.stderr[:500]}"
        if took > 40 or peak > 1700:
            return f"{what}: it took {took:.0f} s and {peak} MB"
        if done.returncode == 3 and "icon" not in done.stderr:
            return f"{what}: {done.stderr[:500]}"
    return None
