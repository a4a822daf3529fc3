import tornado.web, tornado.httpserver, tornado.ioloop, tornado.httpclient, tornado.testing, asyncio, tornado.template, tornado.locale
class M(tornado.web.RequestHandler):
    def get(self):
        self.write('ahoy')
async def main():
    s, p = tornado.testing.bind_unused_port()
    h = tornado.httpserver.HTTPServer(tornado.web.Application([('/', M)])); h.add_socket(s)
    print((await tornado.httpclient.AsyncHTTPClient().fetch('http://127.0.0.1:%d/' % p)).body)
asyncio.run(main())
