import enchant
print(enchant.get_enchant_version() > '1', isinstance(enchant.list_languages(), list))
b = enchant.Broker()
print(sorted(p.name for p in b.describe())[:1] != None)
