"""Heights, high and low waters from harmonic constants."""

import datetime

from tideboard.native import Harmonics

EPOCH = datetime.datetime(2030, 1, 1)


class Tide:
    def __init__(self, station, correction=0.0):
        self._correction = correction
        self._harmonics = Harmonics(station["mean"], station["constituents"])

    def height(self, moment):
        return self._correction + self._harmonics.height((moment - EPOCH).total_seconds() / 3600)

    def curve(self, day, minutes=10):
        """(moment, height) over a day."""
        start = datetime.datetime.combine(day, datetime.time())
        for step in range(0, 24 * 60 + 1, minutes):
            moment = start + datetime.timedelta(minutes=step)
            yield moment, self.height(moment)

    def turns(self, day):
        """(moment, height, "high" or "low") for each turn of the tide that day."""
        points = list(self.curve(day, 1))
        for before, here, after in zip(points, points[1:], points[2:]):
            if before[1] < here[1] >= after[1]:
                yield here + ("high",)
            elif before[1] > here[1] <= after[1]:
                yield here + ("low",)

    def windows(self, day, least):
        """(from, to) for each time of the day with at least that height."""
        start = None
        last = None
        for moment, height in self.curve(day):
            if height >= least and start is None:
                start = moment
            if height < least and start is not None:
                yield start, last
                start = None
            last = moment
        if start is not None:
            yield start, last
