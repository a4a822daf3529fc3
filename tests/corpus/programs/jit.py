from numba import njit, vectorize
import numpy as np
@njit
def f(n):
    s = 0.0
    for i in range(n):
        s += i * 0.5
    return s
@vectorize(['f8(f8)'])
def g(x):
    return x * 2
print(f(100), g(np.arange(3.0)))
