import numpy as np
from skimage import filters, measure, data, io
image = np.zeros((20, 20))
image[5:9, 5:9] = 1
print(filters.threshold_otsu(image) < 1, measure.label(image).max())
print(data.camera().shape)
