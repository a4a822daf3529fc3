from sklearn.cluster import KMeans
from sklearn.ensemble import RandomForestClassifier
from sklearn.svm import SVC
import numpy as np
x = np.array([[0, 0], [0, 1], [9, 9], [9, 8]])
print(KMeans(2, n_init=1, random_state=0).fit(x).inertia_)
print(RandomForestClassifier(5, random_state=0).fit(x, [0, 0, 1, 1]).predict(x), SVC().fit(x, [0, 0, 1, 1]).predict(x))
