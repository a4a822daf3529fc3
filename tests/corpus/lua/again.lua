-- A program that starts itself, by the interpreter and the source that it was started with.
if arg[1] == "child" then
  print("child", arg[2], require("lpeg") ~= nil)
  os.exit(4)
end
io.stdout:flush()
print(os.execute(("'%s' '%s' child 'high water'"):format(arg[-1], arg[0])))
