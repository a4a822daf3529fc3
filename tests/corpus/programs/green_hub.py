import eventlet
eventlet.monkey_patch()
p = eventlet.GreenPool()
print(list(p.imap(lambda n: n + 1, range(3))))
