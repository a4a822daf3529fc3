import grpc, concurrent.futures
class H(grpc.GenericRpcHandler):
    def service(self, d):
        return grpc.unary_unary_rpc_method_handler(lambda r, c: r[::-1])
s = grpc.server(concurrent.futures.ThreadPoolExecutor(1)); s.add_generic_rpc_handlers((H(),))
p = s.add_insecure_port('127.0.0.1:0'); s.start()
print(grpc.insecure_channel('127.0.0.1:%d' % p).unary_unary('/a/b')(b'edit'))
print(grpc.ssl_channel_credentials() is not None)
s.stop(None)
