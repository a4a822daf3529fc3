#!/usr/bin/env python3
"""Reads a payload as docs/payload-format.md specifies it, and nothing else: a second reader that shares no code.

    tests/payload_reader.py OUTPUT [FOLDER]

Checks every hash and number, prints what the head says and the files, and writes them into FOLDER.
"""

import hashlib
import os
import re
import struct
import subprocess
import sys

TRAILER = 128
TAGS = {1: "tree id", 2: "name", 3: "start", 4: "mode", 5: "index hash", 6: "tree folder", 7: "version", 8: "working folder", 9: "loader",
        10: "state", 11: "launcher hash", 12: "parts", 13: "signature"}
HASHES = ("tree id", "index hash", "mode", "launcher hash", "parts", "signature")
CALL = re.compile(rb"[\xe8\xe9].{3}([\x00\xff]?)", re.DOTALL)
LARGEST_BLOCK = 8 << 20


class Refused(Exception):
    pass


def need(condition, why):
    if not condition:
        raise Refused(why)


def sha256(data):
    return hashlib.sha256(data).digest()


def unpacked(data, size):
    done = subprocess.run(["zstd", "-d", "-c", "-q"], input=data, capture_output=True)
    need(done.returncode == 0 and len(done.stdout) == size, "a piece does not unpack to its size")
    return done.stdout


def read(data):
    need(len(data) >= TRAILER, "too short")
    trailer = data[-TRAILER:]
    need(trailer[:8] == b"OMNIPAY1", "no payload")
    need(sha256(trailer[:120])[:8] == trailer[120:], "the trailer's hash is wrong")
    version, _ = struct.unpack_from("<II", trailer, 8)
    need(version == 1, f"version {version}")
    start, size, head_at, head_size, index_at, index_stored, index_raw = struct.unpack_from("<7Q", trailer, 16)
    need(start % 16 == 0 and start + size == len(data), "the payload's size does not fit")
    payload = data[start:]
    need(head_at + head_size <= size and head_size <= 1 << 20, "the head is not inside")
    head = payload[head_at : head_at + head_size]
    need(sha256(head) == trailer[72:104], "the head's hash is wrong")
    fields, at = {}, 0
    while at < len(head):
        tag, flags, length = struct.unpack_from("<HHI", head, at)
        need(tag in TAGS or not flags & 1, f"a field with tag {tag} that must be known")
        fields[TAGS.get(tag, tag)] = head[at + 8 : at + 8 + length]
        need(tag != 13 or at + 8 + length == len(head), "something stands behind the signature")
        at += 8 + length
    need(at == len(head), "the head's fields do not fit")
    if "index hash" not in fields:
        return fields, [], []
    need(fields.get("launcher hash") in (None, sha256(data[:start])), "the launcher's hash is wrong")
    parts = []
    if "parts" in fields:
        parts_at, parts_stored, parts_raw = struct.unpack_from("<3Q", fields["parts"])
        stored = payload[parts_at : parts_at + parts_stored]
        need(sha256(stored) == fields["parts"][24:], "the hash of the list of parts is wrong")
        parts = unpacked(stored, parts_raw).decode().splitlines()
        need(parts[0] == "parts 1", "the list of parts has another version")
    need(index_at + index_stored <= size and index_raw <= 1 << 30, "the index is not inside")
    stored = payload[index_at : index_at + index_stored]
    need(sha256(stored) == fields["index hash"], "the index's hash is wrong")
    index = unpacked(stored, index_raw)
    return fields, read_files(payload, index, fields), parts[1:]


def distances(block):
    """The block with the targets of calls as distances again."""
    block, at = bytearray(block), 0
    while found := CALL.search(block, at):
        at = found.end()
        if not found[1]:
            continue
        number = (int.from_bytes(block[at - 4 : at], "little") - at) & 0x1FFFFFF
        number |= 0xFE000000 if number & 0x1000000 else 0
        block[at - 4 : at] = number.to_bytes(4, "little")
    return bytes(block)


def read_files(payload, index, fields):
    block_count, content_count, file_count = struct.unpack_from("<III", index)
    at, stream = 12, []
    beside = "tree folder" in fields
    need(not beside or block_count == 0, "blocks of files that lie beside the launcher")
    for _ in range(block_count):
        offset, stored, raw = struct.unpack_from("<QII", index, at)
        is_code, raw = raw >> 31, raw & 0x7FFFFFFF
        piece = payload[offset : offset + stored]
        need(len(piece) == stored and 0 < raw <= LARGEST_BLOCK, "a block is not inside")
        need(sha256(piece) == index[at + 16 : at + 48], "a block's hash is wrong")
        block = piece if stored == raw else unpacked(piece, raw)
        stream.append(distances(block) if is_code else block)
        at += 48
    stream = b"".join(stream)
    contents, used = [], 0
    for _ in range(content_count):
        (size,) = struct.unpack_from("<Q", index, at)
        content = b"" if beside else stream[used : used + size]
        need(beside or sha256(content) == index[at + 8 : at + 40], "a content's hash is wrong")
        contents.append((content, index[at + 8 : at + 40]))
        used += 0 if beside else size
        at += 40
    need(used == len(stream), "blocks and contents are not of one size")
    files, identity = [], fields["start"] + b"\0"
    for _ in range(file_count):
        number, mode, length = struct.unpack_from("<IHH", index, at)
        path = index[at + 8 : at + 8 + length]
        at += 8 + length
        need(number < content_count and mode in (0o644, 0o755), "a file's content or mode is none")
        parts = path.split(b"/")
        need(path and not {b"", b".", b".."} & set(parts) and b"\0" not in path, "a path leads elsewhere")
        need(not files or files[-1][0] < path, "the files are not sorted")
        files.append((path, mode, contents[number][0]))
        identity += path + b"\0" + struct.pack("<H", mode) + contents[number][1]
    need(at == len(index), "the index has something at its end")
    need(sha256(identity) == fields["tree id"], "the tree's id is wrong")
    return files


def main():
    with open(sys.argv[1], "rb") as file:
        data = file.read()
    try:
        fields, files, parts = read(data)
    except (Refused, struct.error) as error:
        sys.exit(f"{sys.argv[1]}: {error}")
    for name, value in fields.items():
        print(f"{name}: {value.hex() if name in HASHES else value.decode()!r}")
    for part in parts:
        print("part:", *part.split("\t"))
    for path, mode, content in files:
        print(f"{mode:o} {len(content):>10} {path.decode()}")
        if len(sys.argv) > 2:
            target = os.path.join(os.fsencode(sys.argv[2]), path)
            os.makedirs(os.path.dirname(target), exist_ok=True)
            with open(os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "wb") as file:
                file.write(content)


main()
