import datetime
import zoneinfo

moment = datetime.datetime(2031, 7, 1, 12, tzinfo=zoneinfo.ZoneInfo("Europe/Lisbon"))
print(moment.utcoffset(), moment.astimezone(zoneinfo.ZoneInfo("Pacific/Auckland")))
