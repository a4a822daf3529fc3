import ctypes
import ctypes.util

libc = ctypes.CDLL(None)
print(libc.abs(-4), ctypes.sizeof(ctypes.c_long), ctypes.util.find_library("c") is None or True)
