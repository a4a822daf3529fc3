-- SQLite through LuaSQL.
local env = require("luasql.sqlite3").sqlite3()
local db = assert(env:connect ":memory:")
db:execute "create table tide (hour integer, height real)"
for hour = 0, 3 do db:execute(("insert into tide values (%d, %.2f)"):format(hour, 2 + hour / 3)) end
local rows = db:execute "select hour, height from tide where height > 2.3"
for hour, height in function() return rows:fetch() end do print(hour, height) end
