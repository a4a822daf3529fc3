import imageio, numpy as np, io
b = io.BytesIO()
imageio.imwrite(b, np.zeros((4, 4, 3), np.uint8), format='png')
print(imageio.imread(b.getvalue()).shape)
