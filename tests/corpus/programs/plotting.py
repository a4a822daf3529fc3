import io

import matplotlib

matplotlib.use("Agg")
import matplotlib.pyplot as plt

figure, axes = plt.subplots()
axes.plot([0, 6, 12, 18, 24], [1, 5, 1, 5, 1], label="tide")
axes.set_title("Port Halcyon")
axes.legend()
out = io.BytesIO()
figure.savefig(out, format="png")
print(out.getvalue()[:8], len(out.getvalue()) > 5000)
