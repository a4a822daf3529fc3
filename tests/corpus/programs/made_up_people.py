from faker import Faker
for place in ("en_US", "pt_PT"):
    person = Faker(place)
    person.seed(7)
    print(person.name(), "|", person.city(), "|", person.job())
