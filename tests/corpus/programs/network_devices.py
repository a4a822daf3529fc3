from pysnmp.hlapi import ObjectIdentity, ObjectType, SnmpEngine
from pysnmp.smi import builder, view
made = builder.MibBuilder()
made.loadModules("SNMPv2-MIB", "IF-MIB" if False else "SNMPv2-SMI")
controller = view.MibViewController(made)
print(ObjectIdentity("SNMPv2-MIB", "sysDescr", 0).resolveWithMib(controller).prettyPrint())
print(SnmpEngine() is not None)
