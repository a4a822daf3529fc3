-- LuaJIT's own way to native libraries.
local ffi = require "ffi"
ffi.cdef "unsigned long crc32(unsigned long crc, const char *buf, unsigned int len); double cos(double x);"
local z = ffi.load "z"
print(("%x"):format(tonumber(z.crc32(0, "tide", 4))), ffi.C.cos(0))
print(require("bit").bxor(5, 3), jit.status() ~= nil, require("jit.util") ~= nil)
