from Cryptodome.Cipher import AES, ChaCha20
from Cryptodome.PublicKey import RSA, ECC
from Cryptodome.Hash import SHA3_256
from Cryptodome.Protocol.KDF import scrypt
print(AES.new(b'k' * 16, AES.MODE_GCM, nonce=b'n' * 12).encrypt(b'tide').hex(), SHA3_256.new(b'x').hexdigest()[:8], ECC.generate(curve='P-256').curve, scrypt('a', 'b', 16, 16, 8, 1).hex()[:8])
