import cv2, numpy as np
i = np.zeros((40, 40), np.uint8)
cv2.circle(i, (20, 20), 9, 255, -1)
c, _ = cv2.findContours(i, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
print(len(c), cv2.imencode('.png', i)[0])
