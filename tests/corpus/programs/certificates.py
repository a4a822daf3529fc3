import ssl

context = ssl.create_default_context()
print(context.verify_mode.name, ssl.OPENSSL_VERSION_INFO[0], hasattr(ssl, "SSLContext"))
