import sympy
x = sympy.symbols('x')
print(sympy.integrate(sympy.sin(x) * x, x), sympy.solve(x**2 - 2), sympy.latex(x**2), sympy.lambdify(x, x**2)(3))
