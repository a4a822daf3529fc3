from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor


def square(x):
    return x * x


if __name__ == "__main__":
    with ProcessPoolExecutor(2) as pool, ThreadPoolExecutor(2) as threads:
        print(list(pool.map(square, range(5))), list(threads.map(square, range(3))))
