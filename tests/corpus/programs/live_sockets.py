import asyncio
import websockets

async def echo(socket, path=None):
    async for text in socket:
        await socket.send(text.upper())

async def main():
    async with websockets.serve(echo, "127.0.0.1", 0) as server:
        port = server.sockets[0].getsockname()[1]
        async with websockets.connect(f"ws://127.0.0.1:{port}") as client:
            await client.send("tide")
            print(await client.recv())

asyncio.run(main())
