import soundfile, numpy as np, io
b = io.BytesIO()
soundfile.write(b, np.zeros(100), 8000, format='WAV')
b.seek(0)
print(soundfile.read(b)[1])
