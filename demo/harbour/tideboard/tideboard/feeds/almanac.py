"""A correction for the season: higher water after the autumn storms."""

import math


def correction(day):
    return round(0.12 * math.cos((day.timetuple().tm_yday - 320) / 365 * 2 * math.pi), 2)


TITLE = "seasonal almanac"
