import calendar
import datetime
import decimal
import fractions
import locale
import statistics
import time

print(datetime.datetime.strptime("2031-05-04", "%Y-%m-%d"), time.strptime("12", "%H").tm_hour, calendar.month(2031, 5)[:8])
print(decimal.Decimal("1.1") + 1, fractions.Fraction(1, 3), statistics.median([1, 2, 9]), locale.localeconv()["decimal_point"])
