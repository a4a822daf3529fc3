import asyncio
from aiohttp import web, ClientSession
async def main():
    app = web.Application(); app.router.add_get('/', lambda r: web.json_response({'tide': 3}) if 0 else hello(r))
    r = web.AppRunner(app); await r.setup(); s = web.TCPSite(r, '127.0.0.1', 0); await s.start()
    port = s._server.sockets[0].getsockname()[1]
    async with ClientSession() as c:
        async with c.get('http://127.0.0.1:%d/' % port) as a:
            print(a.status, await a.text())
    await r.cleanup()
async def hello(request):
    return web.Response(text='ahoy')
asyncio.run(main())
