-- The system through luaposix, and a program of it.
local unistd, stat = require "posix.unistd", require "posix.sys.stat"
local reader, writer = unistd.pipe()
local child = unistd.fork()
if child == 0 then
  unistd.write(writer, "from the child")
  unistd._exit(0)
end
require("posix.sys.wait").wait(child)
print(unistd.read(reader, 100), stat.S_ISDIR(stat.stat("/").st_mode) ~= 0)
print(os.getenv "HOME" ~= nil, os.execute "exit 3")
