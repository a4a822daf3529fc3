from babel.dates import format_date
from babel.numbers import format_decimal
import datetime

print(format_date(datetime.date(2031, 5, 4), locale="de"), format_decimal(1234.5, locale="fr"))
