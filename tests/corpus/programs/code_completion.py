import jedi
script = jedi.Script("import math\nmath.sq")
print([c.name for c in script.complete(2, 7)])
print(jedi.Script("x = 'a'.upp").complete(1, 11)[0].name)
