"""The office's logbook: a file beside the code that outlives it."""

import csv
from pathlib import Path

FILE = Path(__file__).parent / "logbook.csv"


def entries():
    with open(FILE, newline="", encoding="utf-8") as file:
        return list(csv.reader(file))


def add(day, text):
    with open(FILE, "a", newline="", encoding="utf-8") as file:
        csv.writer(file).writerow([day.isoformat(), text])
