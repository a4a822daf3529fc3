import usb.core
try:
    print(usb.core.find(idVendor=1) is None)
except Exception as e:
    print(type(e).__name__, e)
