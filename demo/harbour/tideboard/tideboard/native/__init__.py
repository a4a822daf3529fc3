"""The harbour's own native library: fast sums of harmonic constituents."""

import ctypes
import os
import platform
import sys

if sys.platform == "win32":
    _name = "harmonics.dll"
elif sys.platform == "darwin":
    _name = "harmonics.dylib"
elif platform.machine() == "aarch64":
    _name = "harmonics-aarch64.so"
else:
    _name = "harmonics.so"
_library = ctypes.CDLL(os.path.join(os.path.dirname(__file__), _name))
_doubles = ctypes.POINTER(ctypes.c_double)
_library.tide_height.restype = ctypes.c_double
_library.tide_height.argtypes = [ctypes.c_double, _doubles, _doubles, _doubles, ctypes.c_int, ctypes.c_double]


class Harmonics:
    """A station's constituents in the form that the library takes."""

    def __init__(self, mean, constituents):
        array = ctypes.c_double * len(constituents)
        self._mean = mean
        self._count = len(constituents)
        self._amplitudes = array(*(c["amplitude"] for c in constituents))
        self._speeds = array(*(c["speed"] for c in constituents))
        self._phases = array(*(c["phase"] for c in constituents))

    def height(self, hours):
        return _library.tide_height(
            self._mean, self._amplitudes, self._speeds, self._phases, self._count, hours
        )
