"""The command line."""

import argparse
import datetime

from tideboard import __version__, feeds, logbook, stations
from tideboard.tides import Tide


def parse_day(text):
    return datetime.date.fromisoformat(text)


def today(options):
    place = stations.station(options.station)
    feed = feeds.load(stations.settings()["feed"])
    correction = feed.correction(options.date)
    print(f"{place['title']}, {options.date:%A %d %B %Y}")
    for moment, height, kind in Tide(place, correction).turns(options.date):
        print(f"  {moment:%H:%M}  {height:5.2f} m  {kind} water")
    print(f"  corrected by {correction:+.2f} m ({feed.TITLE})")


def berths(options):
    feed = feeds.load(stations.settings()["feed"])
    tide = Tide(stations.station(options.station), feed.correction(options.date))
    print(f"draught {options.draught:.1f} m, {options.date:%d %B %Y}")
    for name, berth in sorted(stations.berths().items()):
        needed = options.draught + berth["clearance"] - berth["depth"]
        windows = [f"{start:%H:%M}-{end:%H:%M}" for start, end in tide.windows(options.date, needed)]
        print(f"  {name:12} {', '.join(windows) or 'not today'}")


def list_stations(options):
    for name, place in sorted(stations.stations().items()):
        print(f"{name:10} {place['title']}")


def log(options):
    if options.text:
        logbook.add(options.date, options.text)
    for day, text in logbook.entries():
        print(f"{day}  {text}")


def window(options):
    from tideboard.window import show

    show(options.station, options.date)


def main(arguments=None):
    parser = argparse.ArgumentParser(prog="tideboard", description="Tide tables and berth clearances for the day.")
    parser.add_argument("--version", action="version", version=f"tideboard {__version__}")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, run, text in (
        ("today", today, "the day's high and low waters"),
        ("berths", berths, "when a ship may use which berth"),
        ("stations", list_stations, "the harbour's stations"),
        ("log", log, "the logbook, with a new entry if there is one"),
        ("window", window, "the tide curve in a window"),
    ):
        command = commands.add_parser(name, help=text)
        command.set_defaults(run=run)
        if name == "log":
            command.add_argument("text", nargs="?")
        elif name != "stations":
            command.add_argument("--station", default="halcyon")
        if name != "stations":
            command.add_argument("--date", type=parse_day, default=datetime.date.today())
        if name == "berths":
            command.add_argument("--draught", type=float, required=True, help="in metres")
    options = parser.parse_args(arguments)
    try:
        options.run(options)
    except stations.UnknownStation as error:
        parser.exit(3, f"tideboard: {error}\n")
    return 0
