from twisted.internet import reactor, defer, task
d = task.deferLater(reactor, 0.01, lambda: print('tide'))
d.addBoth(lambda _: reactor.stop())
reactor.run()
