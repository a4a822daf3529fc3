import matplotlib
matplotlib.use("Agg")
import seaborn
import pandas
frame = pandas.DataFrame({"hour": range(10), "height": [v * v for v in range(10)]})
axes = seaborn.lineplot(data=frame, x="hour", y="height")
axes.figure.savefig("/dev/null", format="png")
print(axes.get_xlabel(), seaborn.color_palette("rocket", 3).as_hex())
