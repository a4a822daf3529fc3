import datetime

import pytz
from dateutil import parser, tz

print(pytz.timezone("America/Lima").localize(datetime.datetime(2031, 1, 1)), parser.parse("1 May 2031 10:00"), tz.gettz("Asia/Tokyo").utcoffset(datetime.datetime(2031, 1, 1)))
