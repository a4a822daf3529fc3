-- The first source that a built application runs. Its settings stand in front of it, in a local table `settings`:
--   entry     the entry point's place in the tree
--   path      templates of Lua modules, places in the tree
--   cpath     templates of C modules, places in the tree
--   folder    the project's folder, which relative templates are relative to
--   program   the interpreter's place, which is arg[-1]
-- The launcher gives its own name and the user's arguments. Without a name it is the interpreter that an application
-- starts for another of its sources: the arguments are those of `lua`.
local tree = arg[0]:match("^(.*)/start/start%.lua$")
local open, load_text, getinfo = io.open, loadstring or load, debug.getinfo
local byte, char, floor = string.byte, string.char, math.floor

local function in_tree(templates)
  local all = {}
  for template in templates:gmatch("[^;]+") do all[#all + 1] = tree .. "/" .. template end
  return table.concat(all, ";")
end

-- Compiled code holds the name that its source had when it was compiled, at a place that depends on the version. Errors
-- and debug.getinfo are to tell where it is now. Returns the chunk with another name; as it is where that is not known.
local function renamed(chunk, name)
  local signature = chunk:sub(1, 4)
  if signature:sub(1, 3) == "\27LJ" then
    -- Flags and the name's length are numbers of 7 bits a byte, the lowest first.
    local at, length, factor = 5, 0, 1
    while byte(chunk, at) >= 128 do at = at + 1 end
    at = at + 1
    local start = at
    repeat
      local part = byte(chunk, at)
      length, factor, at = length + part % 128 * factor, factor * 128, at + 1
    until part < 128
    local rest, size = #name, ""
    while rest >= 128 do size, rest = size .. char(rest % 128 + 128), floor(rest / 128) end
    size = size .. char(rest)
    return chunk:sub(1, start - 1) .. size .. name .. chunk:sub(at + length)
  elseif signature ~= "\27Lua" then
    return chunk
  end
  local version = byte(chunk, 5)
  if version == 0x54 then
    -- Seven bits a byte, the highest first; the last has its highest bit set. The size counts one more.
    local at, length = 33, 0
    repeat
      local part = byte(chunk, at)
      length, at = length * 128 + part % 128, at + 1
    until part >= 128
    local rest = #name + 1
    local size = char(rest % 128 + 128)
    rest = floor(rest / 128)
    while rest > 0 do size, rest = char(rest % 128) .. size, floor(rest / 128) end
    return chunk:sub(1, 32) .. size .. name .. chunk:sub(at + length - 1)
  elseif version == 0x53 then
    local function long(at)
      local length = 0
      for i = 7, 0, -1 do length = length * 256 + byte(chunk, at + i) end
      return length
    end
    local at, length = 36, byte(chunk, 35)
    if length == 255 then at, length = 44, long(36) end
    local size = char(#name + 1)
    if #name + 1 >= 255 then
      local rest = #name + 1
      size = "\255"
      for _ = 1, 8 do size, rest = size .. char(rest % 256), floor(rest / 256) end
    end
    return chunk:sub(1, 34) .. size .. name .. chunk:sub(at + length - 1)
  elseif version == 0x51 then
    local length = 0
    for i = 7, 0, -1 do length = length * 256 + byte(chunk, 13 + i) end
    local rest, size = #name + 1, ""
    for _ = 1, 8 do size, rest = size .. char(rest % 256), floor(rest / 256) end
    return chunk:sub(1, 12) .. size .. name .. "\0" .. chunk:sub(21 + length)
  end
  return chunk
end

local loadfile_before = loadfile

-- Loads a file that is open, with the right name for what is compiled.
local function load_opened(file, path, mode, ...)
  if file:read(1) ~= "\27" then
    file:close()
    return loadfile_before(path, mode, ...)
  end
  local chunk = renamed("\27" .. file:read("*a"), "@" .. path)
  file:close()
  if loadstring then return load_text(chunk, "@" .. path) end
  return load(chunk, "@" .. path, mode, ...)
end

-- Like loadfile.
local function load_source(path, ...)
  local file = path and open(path, "rb")
  if not file then return loadfile_before(path, ...) end
  return load_opened(file, path, ...)
end

function loadfile(path, ...) return load_source(path, ...) end

function dofile(path)
  local chunk, message = load_source(path)
  if not chunk then error(message, 0) end
  return chunk()
end

package.path, package.cpath = in_tree(settings.path), in_tree(settings.cpath)

-- What a searcher says of its failure: from Lua 5.4 on `require` begins its line.
local function told(text) return _VERSION < "Lua 5.4" and "\n\t" .. text or text end

-- The file that a name means, and the same opened. A template that an application adds is relative to where it is started from source: to
-- its own folder here.
local function search(name, templates)
  local tried, path_name = {}, name:gsub("%.", "/")
  for template in templates:gmatch("[^;]+") do
    local path = template:gsub("%?", (path_name:gsub("%%", "%%%%")))
    if path:sub(1, 1) ~= "/" then
      local own = tree .. "/" .. settings.folder .. "/" .. path:gsub("^%./", "")
      local file = open(own, "rb")
      if file then return own, file end
    end
    local file = open(path, "rb")
    if file then return path, file end
    tried[#tried + 1] = "no file '" .. path .. "'"
  end
  return nil, told(table.concat(tried, "\n\t")) -- what a searcher says
end

local function lua_module(name)
  local path, file = search(name, package.path)
  if not path then return file end
  local chunk, message = load_opened(file, path)
  if not chunk then error("error loading module '" .. name .. "' from file '" .. path .. "':\n\t" .. message, 0) end
  return chunk, path
end

local function opened(name, path)
  -- What is in front of a hyphen is a version, and no part of the function's name.
  local entry = "luaopen_" .. name:gsub("^.-%-", ""):gsub("%.", "_")
  local loader, message, reason = package.loadlib(path, entry)
  if loader then return loader, path end
  if reason == "init" then return nil, message end
  error("error loading module '" .. name .. "' from file '" .. path .. "':\n\t" .. message, 0)
end

local function c_module(name)
  local path, file = search(name, package.cpath)
  if path then
    file:close()
    local loader, message = opened(name, path)
    if not loader then error("error loading module '" .. name .. "' from file '" .. path .. "':\n\t" .. message, 0) end
    return loader, path
  end
  -- Several modules may be in the file of the first part of the name.
  local root = name:match("^([^.]+)%.")
  local tried, whole, opened_whole = file, nil, nil
  if root then whole, opened_whole = search(root, package.cpath) end
  if whole then
    opened_whole:close()
    local loader, message = opened(name, whole)
    if loader then return loader, whole end
    tried = tried .. told(message)
  end
  return tried
end

-- Whoever watches the application sees from this look-up what it did not find, and where it was asked for.
local function absent(name)
  local level, caller = 3, getinfo(3, "Sl")
  while caller and caller.what == "C" do level, caller = level + 1, getinfo(level + 1, "Sl") end
  local source = caller and caller.source or ""
  local file = open(tree .. "/.absent/" .. name .. ":" .. source:gsub("^@", "") .. ":" .. (caller and caller.currentline or 0))
  if file then file:close() end
  return nil
end

local searchers = package.searchers or package.loaders
for i = #searchers, 2, -1 do searchers[i] = nil end
searchers[2], searchers[3], searchers[4] = lua_module, c_module, absent

if package.searchpath then
  local searchpath_before = package.searchpath
  function package.searchpath(name, templates, separator, ...)
    if separator == nil or separator == "." then
      local own, file = search(name, templates)
      if own then
        file:close()
        return own
      end
    end
    return searchpath_before(name, templates, separator, ...)
  end
end

-- A version without a switch for it heeds LUA_INIT; a library path may lead to a C library that does not fit. The launcher
-- keeps them under another name, and the application and the programs that it starts get them back.
local kept = {}
for _, name in ipairs { "LUA_INIT", "LUA_PATH", "LUA_CPATH", "LD_LIBRARY_PATH" } do
  if os.getenv("OMNISTASIS_KEPT_" .. name) then
    kept[#kept + 1] = "export " .. name .. "=\"$OMNISTASIS_KEPT_" .. name .. "\"; unset OMNISTASIS_KEPT_" .. name .. "; "
  end
end
if #kept > 0 then
  local prefix, execute, popen, getenv = table.concat(kept), os.execute, io.popen, os.getenv
  function os.getenv(name) return getenv("OMNISTASIS_KEPT_" .. tostring(name)) or getenv(name) end
  function os.execute(command) return execute(command and prefix .. command) end
  function io.popen(command, ...) return popen(prefix .. command, ...) end
end

local program = tree .. "/" .. settings.program
arg = { select(2, ...) }

-- The options of `lua` that make sense without a terminal.
local function run_options()
  local ran = false
  while arg[1] and arg[1]:match "^%-." do
    local option, value = table.remove(arg, 1), nil
    if option == "--" then break end
    if option:match "^%-[el]" then value = option:sub(3) ~= "" and option:sub(3) or table.remove(arg, 1) end
    if option:match "^%-e" then
      local chunk, message = load_text(value, "=(command line)")
      if not chunk then error(message, 0) end
      chunk()
    elseif option:match "^%-l" then
      _G[value] = require(value)
    elseif option == "-v" then
      print(jit and jit.version or _VERSION)
    elseif option ~= "-E" and option ~= "-W" then
      io.stderr:write("unrecognized option '" .. option .. "'\n")
      os.exit(1)
    end
    ran = ran or option ~= "-E" and option ~= "-W"
  end
  return ran
end

local entry = tree .. "/" .. settings.entry
if (...) == "" then
  local ran = run_options()
  entry = table.remove(arg, 1)
  if not entry and ran then os.exit(0) end
  if entry == "-" then entry = nil end
end
arg[0], arg[-1] = entry or "-", program
local chunk, message = load_source(entry)
if not chunk then error(message, 0) end
return chunk((table.unpack or unpack)(arg))
