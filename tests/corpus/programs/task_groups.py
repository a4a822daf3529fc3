import anyio

async def work(number, found):
    await anyio.sleep(0)
    found.append(number * number)

async def main():
    found = []
    async with anyio.create_task_group() as group:
        for number in range(3):
            group.start_soon(work, number, found)
    print(sorted(found), await anyio.to_thread.run_sync(lambda: "thread"))

anyio.run(main)
anyio.run(main, backend="trio")
