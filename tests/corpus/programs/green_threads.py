from gevent import monkey
monkey.patch_all()
import gevent, gevent.queue, gevent.pool
print([j.get() for j in [gevent.spawn(lambda n=n: n * n) for n in range(3)]])
