import numpy as np

a = np.arange(12, dtype=float).reshape(3, 4)
print(a @ a.T, np.linalg.det(a[:, :3] + np.eye(3)).round(6), np.random.default_rng(3).integers(0, 9, 4))
np.testing.assert_allclose(a, a)
