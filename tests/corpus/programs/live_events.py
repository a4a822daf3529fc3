import socketio
server = socketio.Server(async_mode="threading")
print(server.async_mode, type(server.eio).__name__, server.eio._async["thread"].__name__)
app = socketio.WSGIApp(server)
print(sorted(server.eio.transports))
best = socketio.Server()
print(best.async_mode)
