import can
bus = can.Bus(interface="virtual", channel="a")
other = can.Bus(interface="virtual", channel="a")
bus.send(can.Message(arbitration_id=3, data=[1, 2]))
print(other.recv(1).data.hex())
bus.shutdown(), other.shutdown()
import pyvisa
try:
    print(pyvisa.ResourceManager("@py"))
except Exception as error:
    print(type(error).__name__)
