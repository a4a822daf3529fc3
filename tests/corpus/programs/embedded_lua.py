import lupa
runtime = lupa.LuaRuntime()
print(runtime.eval("1 + 2"), runtime.execute("return string.rep('a', 3)"))
