import keyring, keyring.backend
print(sorted(type(b).__module__ for b in keyring.backend.get_all_keyring()))
print(keyring.get_keyring())
