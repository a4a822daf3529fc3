-- A C module and a Lua one for the same format.
local cjson, dkjson = require "cjson.safe", require "dkjson"
local text = '{"berths":[{"name":"north","depth":7.5}],"open":true}'
print(cjson.decode(text).berths[1].name, dkjson.decode(text).berths[1].depth)
print(dkjson.encode({ 1, 2, { lamp = "green" } }, { indent = true }))
print(cjson.decode "{wrong")
