import importlib

for name in ("colorsys", "wave"):
    print(importlib.import_module(name).__name__)
