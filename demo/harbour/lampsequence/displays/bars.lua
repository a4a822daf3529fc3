-- A row of half seconds: a bar where the light is lit.
local character = require "lamps.character"

return function(light, parsed, seconds)
  local row = {}
  for half = 0, seconds * 2 - 1 do row[#row + 1] = character.is_lit(parsed, half / 2) and "█" or "·" end
  return ("%-14s %-11s %s"):format(light.name, light.character, table.concat(row))
end
