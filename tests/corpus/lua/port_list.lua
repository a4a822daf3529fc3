local lyaml = require "lyaml"
local port = lyaml.load "name: Port Halcyon\nberths: [north, south]\nopen: true\n"
print(port.name, #port.berths, port.open)
io.write(lyaml.dump { { lamp = "red" } })
