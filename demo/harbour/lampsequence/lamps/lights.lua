-- The harbour's list of lights: a name, a tab, its character.
local M = {}

function M.read(file)
  local lights = {}
  for line in io.lines(file) do
    local name, character = line:match "^([^#\t]+)\t(%S+)$"
    if name then lights[#lights + 1] = { name = name, character = character } end
  end
  return lights
end

return M
