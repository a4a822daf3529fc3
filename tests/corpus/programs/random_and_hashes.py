import hashlib
import hmac
import random
import secrets
import uuid

random.seed(4)
print(random.random(), hashlib.sha256(b"x").hexdigest()[:8], hashlib.blake2b(b"x").hexdigest()[:8], hmac.new(b"k", b"m", "md5").hexdigest()[:6])
print(len(secrets.token_hex(4)), uuid.uuid5(uuid.NAMESPACE_DNS, "harbour"), hashlib.new("sha3_256", b"x").name)
