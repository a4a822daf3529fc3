import asyncio, socket, uvicorn, threading, urllib.request, time
async def app(scope, receive, send):
    if scope['type'] != 'http':
        return
    await send({'type': 'http.response.start', 'status': 200, 'headers': []})
    await send({'type': 'http.response.body', 'body': b'tide'})
s = socket.socket(); s.bind(('127.0.0.1', 0))
server = uvicorn.Server(uvicorn.Config(app, log_level='error'))
t = threading.Thread(target=lambda: asyncio.run(server.serve([s])), daemon=True); t.start()
while not server.started: time.sleep(.02)
print(urllib.request.urlopen('http://127.0.0.1:%d/' % s.getsockname()[1]).read())
server.should_exit = True; t.join(5)
