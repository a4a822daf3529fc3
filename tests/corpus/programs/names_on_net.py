import dns.message, dns.rdatatype, dns.resolver, dns.zone
z = dns.zone.from_text('@ 60 IN SOA a b 1 2 3 4 5\n@ 60 IN NS a\na 60 IN A 10.0.0.1\nx 60 IN SRV 1 2 3 a\nt 60 IN TXT tide\nm 60 IN MX 5 a\n', 'halcyon.test.')
print(z.find_rdataset('x', 'SRV')[0].port, z.find_rdataset('m', 'MX')[0].preference)
