-- Plug-ins that a listing of the own folder finds, and data beside the source.
local here = arg[0]:match "^(.*)/" or "."
package.path = here .. "/?.lua;" .. package.path
local names = {}
for name in require("lfs").dir(here .. "/sources") do
  local plugin = name:match "^(%a+)%.lua$"
  if plugin then names[#names + 1] = plugin end
end
table.sort(names)
for _, name in ipairs(names) do print(name, require("sources." .. name).height(2)) end
for line in io.lines(here .. "/sources/levels.txt") do print(line) end
print(dofile(here .. "/settings.lua").lamp)
