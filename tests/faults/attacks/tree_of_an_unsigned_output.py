"""An unsigned output says that its tree has the id of a signed one, and is started first."""

import hashlib
import os
import struct
import subprocess


def parts(data):
    trailer = bytearray(data[-128:])
    start, size, head_at, head_size = struct.unpack_from("<4Q", trailer, 16)
    return trailer, start + head_at, head_size


def tree_id_at(data):
    _, at, size = parts(data)
    end = at + size
    while at < end:
        tag, _, length = struct.unpack_from("<HHI", data, at)
        if tag == 1:
            return at + 8
        at += 8 + length
    raise AssertionError("no tree id")


def attack(yard):
    key = yard.path("publisher.key")
    subprocess.run(["openssl", "genpkey", "-algorithm", "ed25519", "-out", key], check=True, capture_output=True)
    evil = yard.build(yard.write("evil/main.py", "print('evil')\n"), out="evil out")
    ours = yard.build(yard.write("ours/main.py", "print('ours')\n"), "--sign", key)
    with open(ours, "rb") as file:
        right = file.read()
    with open(evil, "rb") as file:
        data = bytearray(file.read())
    at = tree_id_at(data)
    data[at : at + 32] = right[tree_id_at(right) :][:32]
    trailer, head_at, head_size = parts(data)
    trailer[72:104] = hashlib.sha256(data[head_at : head_at + head_size]).digest()
    trailer[120:128] = hashlib.sha256(trailer[:120]).digest()[:8]
    data[-128:] = trailer
    with open(evil, "wb") as file:
        file.write(data)
    environment = {"OMNISTASIS_CACHE": yard.path("cache"), "HOME": yard.path("home")}
    first = yard.run([evil], environment=environment)
    second = yard.run([ours], environment=environment)
    if second.stdout != "ours\n":
        return f"the signed output ran {second.stdout!r}; {second.stderr}"
    if first.returncode != 122 or first.stdout:
        return f"an output whose id is not that of its content started: {first.stdout}{first.stderr}"
    verified = yard.omnistasis("inspect", evil, "--verify")
    return None if verified.returncode == 3 else f"--verify lets it pass: {verified.stdout}{verified.stderr}"
