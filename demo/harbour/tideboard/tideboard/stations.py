"""The stations of the harbour, from the package's own data."""

import json
from importlib import resources


class UnknownStation(LookupError):
    pass


def _load(name):
    return json.loads(resources.files("tideboard").joinpath("data", name).read_text(encoding="utf-8"))


def stations():
    return _load("stations.json")


def station(name):
    known = stations()
    if name not in known:
        raise UnknownStation(f"no station {name}; known are {', '.join(sorted(known))}")
    return known[name]


def berths():
    return _load("berths.json")


def settings():
    return _load("settings.json")
