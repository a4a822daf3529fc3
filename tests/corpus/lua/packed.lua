-- zlib, and messages packed by a Lua module.
local zlib, inspect = require "zlib", require "inspect"
local packed = zlib.deflate()(("tide "):rep(200), "finish")
print(#packed < 60, #zlib.inflate()(packed))
print(inspect { lamp = { "red", "green" }, [3] = true })
