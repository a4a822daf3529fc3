import redis
try:
    redis.Redis(port=1).ping()
except redis.ConnectionError as e:
    print(type(e).__name__)
