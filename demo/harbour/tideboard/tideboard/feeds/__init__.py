"""Where corrections to the predicted heights come from; the settings name one of the modules here."""

import importlib


def load(name):
    return importlib.import_module(f"{__name__}.{name}")
