#!/usr/bin/python3
"""Prints how many lines of C++ the tests have for each hundred of the code, and fails where it is too few."""

import os
import sys

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
LEAST = 25  # percent


def lines_below(*tops):
    count = 0
    for top in tops:
        for folder, _, files in os.walk(os.path.join(ROOT, top)):
            for name in files:
                if name.endswith((".cpp", ".h")):
                    with open(os.path.join(folder, name), encoding="utf-8") as file:
                        count += sum(1 for _ in file)
    return count


def main():
    code, tests = lines_below("src", "launcher"), lines_below("tests")
    share = 100 * tests / code
    print(f"tests: {tests} lines to {code} of the code, {share:.1f} %; at least {LEAST} %")
    return 0 if share >= LEAST else 1


if __name__ == "__main__":
    sys.exit(main())
