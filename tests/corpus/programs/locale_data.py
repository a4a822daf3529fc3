from babel import Locale, dates, numbers
import datetime
print(Locale.parse('nl_NL').display_name, dates.format_date(datetime.date(2031, 5, 4), locale='de'), numbers.format_currency(12.5, 'EUR', locale='fr'), dates.get_timezone('Europe/Lisbon'))
