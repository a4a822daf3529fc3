-- expat through LuaExpat.
local lom = require "lxp.lom"
local tree = assert(lom.parse "<port><berth depth='7'>north</berth></port>")
print(tree.tag, tree[1].attr.depth, tree[1][1])
print(select(2, lom.parse "<port><berth></port>"))
