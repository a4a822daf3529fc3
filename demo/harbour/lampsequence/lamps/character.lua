-- A light's character as charts write it: "Fl(2)R.10s" flashes twice every ten seconds, in red. Fl flashes, Oc is
-- dark for a moment, Iso is lit for half of its period, Q flashes sixty times a minute, F is always lit.
local M = {}

local colours = { R = "red", G = "green", W = "white", Y = "yellow" }

function M.parse(text)
  local kind, group, colour, period = text:match "^(%a%a?%a?)%(?(%d*)%)?(%u?)%.?(%d*)s?$"
  if not kind then error("no light has the character " .. text) end
  -- In "QG" the colour stands behind the kind without a sign between them.
  if colour == "" and #kind > 1 and kind:match "^[QF]%u$" then kind, colour = kind:sub(1, 1), kind:sub(2) end
  return {
    kind = kind,
    flashes = tonumber(group) or 1,
    colour = colours[colour] or "white",
    period = tonumber(period) or (kind == "Q" and 1 or 4),
  }
end

-- Whether a light of that character is lit, `time` seconds after the beginning of its period.
function M.is_lit(character, time)
  local phase = time % character.period
  if character.kind == "F" then return true end
  if character.kind == "Iso" then return phase < character.period / 2 end
  if character.kind == "Oc" then return phase >= character.flashes end
  if character.kind == "Q" then return phase < 0.5 end
  -- Flashes of half a second, two seconds apart.
  return phase < character.flashes * 2 and phase % 2 < 0.5
end

return M
