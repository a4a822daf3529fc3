from scapy.all import IP, TCP, Ether, DNS, DNSQR, UDP, raw
packet = Ether() / IP(dst="192.0.2.1", src="192.0.2.2") / TCP(dport=80)
print(packet[TCP].dport, len(raw(packet)))
query = IP(raw(IP(dst="192.0.2.1", src="192.0.2.2") / UDP() / DNS(qd=DNSQR(qname="tides.example"))))
print(query[DNSQR].qname)
