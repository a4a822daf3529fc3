import zeroconf
i = zeroconf.ServiceInfo('_tide._tcp.local.', 'petrel._tide._tcp.local.', port=80, addresses=[b'\x7f\0\0\1'])
print(i.name, i.parsed_addresses())
