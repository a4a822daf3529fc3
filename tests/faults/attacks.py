#!/usr/bin/env python3
"""Attacks built applications, the store and the commands: each file in attacks/ is one attack.

    tests/faults/attacks.py --program PATH [--races N] [--only NAME] [--python PATH] [--node PATH]

Each has a function `attack(yard)` that returns nothing where the attack was held off, else what went wrong; it raises
Skipped where this machine can't try it. Exit code 0 where all were held off.
"""

import argparse
import importlib.util
import os
import sys
import traceback

sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), "attacks"))

from yard import Skipped, Yard  # noqa: E402


def attacks(only):
    folder = os.path.join(os.path.dirname(os.path.abspath(__file__)), "attacks")
    for name in sorted(os.listdir(folder)):
        if not name.endswith(".py") or name == "yard.py" or (only and only not in name):
            continue
        spec = importlib.util.spec_from_file_location(name[:-3], os.path.join(folder, name))
        module = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
        yield name[:-3], module


def main():
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    parser.add_argument("--program", required=True, help="the built omnistasis")
    parser.add_argument("--races", type=int, default=12, help="how often a race is tried")
    parser.add_argument("--only", help="attacks with this in their name")
    parser.add_argument("--python", default="/usr/bin/python3")
    parser.add_argument("--node", default="/usr/bin/node")
    options = parser.parse_args()
    options.program = os.path.abspath(options.program)
    failed = 0
    for name, module in attacks(options.only):
        with Yard(options) as yard:
            try:
                wrong = module.attack(yard)
            except Skipped as why:
                print(f"skipped   {name}: {why}")
                continue
            except Exception:
                wrong = traceback.format_exc()
        failed += bool(wrong)
        print(f"{'BROKEN ' if wrong else 'held off'}  {name}" + (f": {wrong}" if wrong else ""), flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
