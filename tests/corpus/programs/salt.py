import nacl.secret, nacl.utils, bcrypt
b = nacl.secret.SecretBox(b'k' * 32)
print(b.decrypt(b.encrypt(b'tide')), bcrypt.checkpw(b'x', bcrypt.hashpw(b'x', bcrypt.gensalt(4))))
