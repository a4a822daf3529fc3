-- The seconds at which the light comes on.
local character = require "lamps.character"

return function(light, parsed, seconds)
  local times, before = {}, false
  for half = 0, seconds * 2 - 1 do
    local lit = character.is_lit(parsed, half / 2)
    if lit and not before then times[#times + 1] = ("%.1f"):format(half / 2) end
    before = lit
  end
  return ("%s, %s: on at %s s"):format(light.name, parsed.colour, table.concat(times, ", "))
end
