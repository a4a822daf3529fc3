import asyncio


async def work(n):
    await asyncio.sleep(0)
    return n * 2


async def main():
    print(await asyncio.gather(*(work(n) for n in range(4))))
    process = await asyncio.create_subprocess_exec("/proc/self/exe", "-c", "print('child')", stdout=asyncio.subprocess.PIPE)
    print(len(await process.stdout.read()) > 0)


asyncio.run(main())
