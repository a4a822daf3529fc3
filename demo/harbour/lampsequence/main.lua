#!/usr/bin/env lua5.4
-- When each light of Port Halcyon shines, second by second.
--   lampsequence [--display NAME] [--seconds N] [LIGHT ...]
local here = arg[0]:match "^(.*)/" or "."
package.path = here .. "/?.lua;" .. package.path

local lfs = require "lfs"
local lights = require "lamps.lights"
local character = require "lamps.character"

local function fail(message)
  io.stderr:write("lampsequence: ", message, "\n")
  os.exit(2)
end

-- Each source in displays/ is a way to show a light.
local function displays()
  local names = {}
  for file in lfs.dir(here .. "/displays") do
    local name = file:match "^(%a+)%.lua$"
    if name then names[#names + 1] = name end
  end
  table.sort(names)
  return names
end

local wanted, display, seconds = {}, "bars", 20
local i = 1
while i <= #arg do
  if arg[i] == "--display" then
    display, i = arg[i + 1], i + 1
  elseif arg[i] == "--seconds" then
    seconds, i = tonumber(arg[i + 1]), i + 1
  elseif arg[i] == "--help" then
    print "usage: lampsequence [--display NAME] [--seconds N] [LIGHT ...]"
    print("displays: " .. table.concat(displays(), ", "))
    os.exit(0)
  else
    wanted[arg[i]:lower()] = true
  end
  i = i + 1
end
if not seconds or seconds < 1 or seconds > 60 then fail "--seconds takes a number from 1 to 60" end
local found, show = pcall(require, "displays." .. tostring(display))
if not found then fail("there is no display " .. tostring(display) .. ": take one of " .. table.concat(displays(), ", ")) end

local shown = 0
for _, light in ipairs(lights.read(here .. "/data/lights.txt")) do
  if next(wanted) == nil or wanted[light.name:lower()] then
    print(show(light, character.parse(light.character), seconds))
    shown = shown + 1
  end
end
if shown == 0 then fail "no light of the harbour has that name" end

-- Every watch is entered in the log.
local log = assert(io.open(here .. "/signals.log", "a"))
log:write(("%d lights for %d seconds as %s\n"):format(shown, seconds, display))
log:close()
