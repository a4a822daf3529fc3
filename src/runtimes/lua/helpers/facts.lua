-- Tells what an interpreter knows of itself, one fact a line: "version 5.4", "jit 2.1.0", "path ...", "cpath ...", and
-- "built-in NAME" for each module that needs no file. With an argument it also tells whether that source compiles:
-- "wrong MESSAGE" where it does not. Works with Lua 5.1 to 5.4 and LuaJIT.
print("version " .. _VERSION:match("%d+%.%d+"))
if jit then print("jit " .. jit.version:gsub("^%D+", "")) end
print("path " .. package.path)
print("cpath " .. package.cpath)
for _, names in ipairs { package.loaded, package.preload } do
  for name in pairs(names) do print("built-in " .. name) end
end
local source = ...
if source then
  local compiled, message = loadfile(source)
  if not compiled then print("wrong " .. message:gsub("\n", " ")) end
end
