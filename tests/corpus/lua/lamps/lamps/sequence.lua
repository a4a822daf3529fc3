local known = { red = "green", green = "red" }
local M = {}

function M.step(lamp)
  local next = known[lamp] or error("there is no lamp that is " .. lamp, 0)
  print(lamp, next)
end

return M
