import pint
u = pint.UnitRegistry()
print((3 * u.knot).to('km/hour'), u('2 nautical_mile').to('m'))
