-- A server and a client in one program.
local socket = require "socket"
local url, mime = require "socket.url", require "mime"
local server = assert(socket.bind("127.0.0.1", 0))
local client = assert(socket.connect("127.0.0.1", (select(2, server:getsockname()))))
local peer = server:accept()
client:send "high water\n"
print(peer:receive "*l")
print(url.parse("http://harbour.example:8080/tides?day=2").port, (mime.b64 "low water"))
print(require("ltn12").source ~= nil, (pcall(require, "socket.http")))
