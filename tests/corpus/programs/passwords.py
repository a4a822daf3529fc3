from passlib.hash import pbkdf2_sha256, bcrypt
from passlib.context import CryptContext
c = CryptContext(schemes=['sha512_crypt', 'md5_crypt', 'argon2'])
print(pbkdf2_sha256.verify('tide', pbkdf2_sha256.hash('tide')), c.hash('x', scheme='md5_crypt')[:3], c.hash('x')[:3])
