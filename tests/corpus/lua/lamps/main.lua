-- Errors: where they happen, and how the program ends.
local folder = debug.getinfo(1, "S").source:sub(2):match "^(.*)/" or "."
package.path = package.path .. ";" .. folder .. "/?.lua"
local sequence = require "lamps.sequence"
print(pcall(sequence.step, "violet"))
print(select(2, xpcall(sequence.step, function(message) return debug.traceback(message, 1):match "sequence%.lua:%d+" end, "none")))
print((debug.getinfo(sequence.step).short_src:match "[^/]*$"), debug.getinfo(sequence.step).linedefined)
sequence.step(arg[1] or "green")
coroutine.wrap(function() sequence.step "unlit" end)()
