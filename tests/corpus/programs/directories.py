import ldap3
server = ldap3.Server("office", get_info=ldap3.OFFLINE_SLAPD_2_4)
connection = ldap3.Connection(server, client_strategy=ldap3.MOCK_SYNC)
connection.strategy.add_entry("cn=ada,o=halcyon", {"objectClass": "person", "cn": "ada", "userPassword": "x"})
connection.bind()
print(connection.search("o=halcyon", "(cn=ada)", attributes=["cn"]), connection.entries[0].cn)
