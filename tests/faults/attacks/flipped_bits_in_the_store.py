"""A bit of the user's store is flipped: the build is the same as without a store, or it is not done."""

import os
import random
import shutil
import sqlite3


def attack(yard):
    entry = yard.write("port/main.py", "import json, helper\nprint(json.dumps(helper.tides))\n")
    yard.write("port/helper.py", "tides = [1, 2, 3]\n")
    store = yard.path("home of the builder", ".cache/omnistasis/store/index.sqlite")
    right = open(yard.build(entry), "rb").read()
    database = sqlite3.connect(store)
    database.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    database.close()
    shutil.copy(store, yard.path("kept"))
    chance = random.Random(3)
    for _ in range(yard.races):
        shutil.copy(yard.path("kept"), store)
        database = sqlite3.connect(store)
        rows = database.execute("SELECT rowid, value, object FROM results").fetchall()
        for rowid, value, found in rows:
            for column, content in (("value", value), ("object", found)):
                if content and chance.random() < 0.5:
                    damaged = bytearray(content)
                    damaged[chance.randrange(len(damaged))] ^= 1 << chance.randrange(8)
                    database.execute(f"UPDATE results SET {column} = ? WHERE rowid = ?", (bytes(damaged), rowid))
        database.commit()
        database.close()
        os.utime(entry)  # nothing is kept of the whole
        if open(yard.build(entry), "rb").read() != right:
            return "another output came out, with exit code 0"
    return None
