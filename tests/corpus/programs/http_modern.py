import asyncio
import httpx

def answer(request):
    return httpx.Response(200, json={"path": request.url.path, "berths": 4})

with httpx.Client(transport=httpx.MockTransport(answer)) as client:
    print(client.get("https://office.example/berths").json())

async def ask():
    async with httpx.AsyncClient(transport=httpx.MockTransport(answer)) as client:
        return (await client.get("https://office.example/tides")).json()

print(asyncio.run(ask()))
