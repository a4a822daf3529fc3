import phonenumbers
from phonenumbers import geocoder, carrier, timezone
n = phonenumbers.parse('+351 21 123 4567')
print(phonenumbers.is_valid_number(n), phonenumbers.format_number(n, phonenumbers.PhoneNumberFormat.NATIONAL), geocoder.description_for_number(n, 'en'), timezone.time_zones_for_number(n))
