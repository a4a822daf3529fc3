import zmq

context = zmq.Context()
a, b = context.socket(zmq.PAIR), context.socket(zmq.PAIR)
a.bind("inproc://x")
b.connect("inproc://x")
b.send(b"ahoy")
print(a.recv(), zmq.pyzmq_version_info()[0] > 10)
