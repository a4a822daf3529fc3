-- A command line: its help and its errors.
local parser = require("argparse")("options", "Tells the tide.")
parser:argument("day", "which day"):convert(tonumber)
parser:option("-b --berth", "at which berth", "north")
parser:flag("-v --verbose")
local given = parser:parse()
print(given.day, given.berth, given.verbose)
