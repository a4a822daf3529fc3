from cryptography.fernet import Fernet
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec

key = ec.generate_private_key(ec.SECP256R1())
signature = key.sign(b"clearance", ec.ECDSA(hashes.SHA256()))
key.public_key().verify(signature, b"clearance", ec.ECDSA(hashes.SHA256()))
print(Fernet(Fernet.generate_key()).encrypt(b"x")[:1] == b"g")
