-- Runs before the application, as LUA_INIT says, and notes each `require` of it: "NAME\tFILE\tLINE" in the file that
-- OMNISTASIS_REHEARSAL names.
local log = os.getenv("OMNISTASIS_REHEARSAL")
if log then
  local require_before = require
  function require(name, ...)
    if type(name) == "string" and not package.loaded[name] then
      local caller = debug.getinfo(2, "Sl") or {}
      local file = io.open(log, "a")
      if file then
        local source = caller.source or ""
        file:write(name, "\t", source:sub(1, 1) == "@" and source:sub(2) or "", "\t", caller.currentline or 0, "\n")
        file:close()
      end
    end
    return require_before(name, ...)
  end
end
