print("Größe".encode("cp850"), b"\x83n".decode("shift_jis"), "ä".encode("utf-16-le"), "münchen".encode("idna"), "x".encode("punycode"))
