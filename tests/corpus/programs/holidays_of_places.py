import holidays
print(holidays.CountryHoliday("PT", years=2024).get("2024-04-25"))
print(holidays.Norway(years=2024).get("2024-05-17"))
