from scipy import optimize, signal

print(round(optimize.brentq(lambda x: x * x - 2, 0, 2), 8), signal.find_peaks([0, 2, 0, 3, 0])[0])
