"""Somebody makes the victim's folder below /var/tmp first, as a link: to a folder of the victim's, then to one with another program."""

import os
import threading

from yard import OTHER, VICTIM


def attack(yard):
    yard.needs_root()
    output = yard.build(yard.write("main.py", "print('ours')\n"))
    places = [f"{base}/omnistasis-{VICTIM}" for base in ("/var/tmp", "/tmp")]
    yard.outside += places
    own = yard.folder_of("own", VICTIM)
    yard.folder_of("theirs", OTHER)
    yard.folder_of("theirs/omnistasis", VICTIM, 0o700)
    ended = threading.Event()

    def swap(place):
        """As the other user would: the link leads to one, then to the other."""
        number = 0
        while not ended.is_set():
            link = f"{place}.{number % 2}"
            os.symlink((own, yard.path("theirs"))[number % 2], link)
            os.lchown(link, OTHER, OTHER)
            try:
                os.replace(link, place)
            except OSError:
                os.remove(link)
            number += 1

    threads = [threading.Thread(target=swap, args=(place,)) for place in places]
    for thread in threads:
        thread.start()
    try:
        for _ in range(yard.races):
            done = yard.run([output], user=VICTIM)
            if done.returncode != 121:
                return f"it started, with exit code {done.returncode}: {done.stdout}{done.stderr}"
        left = os.listdir(own) + os.listdir(yard.path("theirs/omnistasis"))
        return f"it wrote where the link led: {left}" if left else None
    finally:
        ended.set()
        for thread in threads:
            thread.join()
