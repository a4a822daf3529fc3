import pycountry
print(pycountry.countries.get(alpha_2='PT').name, pycountry.languages.get(alpha_2='pt').name)
