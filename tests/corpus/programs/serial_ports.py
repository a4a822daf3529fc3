import serial, serial.tools.list_ports
p = serial.serial_for_url('loop://')
p.write(b'ahoy')
print(p.read(4), isinstance(list(serial.tools.list_ports.comports()), list))
