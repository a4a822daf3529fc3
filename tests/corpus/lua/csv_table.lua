-- Penlight: a table of berths, sorted and written out.
local data, pretty, stringx = require "pl.data", require "pl.pretty", require "pl.stringx"
local berths = data.read(require("pl.stringio").open "berth,depth\nnorth,7\nsouth,11\nquay,4\n", { delim = "," })
for name, depth in berths:select "berth,depth where depth > 5 sort by depth" do print(name, depth) end
pretty.dump(stringx.split "tide lamp crane")
