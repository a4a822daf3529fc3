"""No correction: wind and air pressure as in an average year."""


def correction(day):
    return 0.0


TITLE = "calm weather"
