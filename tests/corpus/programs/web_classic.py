import cherrypy
import urllib.request

class Office:
    @cherrypy.expose
    def index(self):
        return "High water at noon"

cherrypy.config.update({"environment": "embedded", "log.screen": False, "server.socket_port": 0, "server.socket_host": "127.0.0.1"})
cherrypy.tree.mount(Office(), "/")
import io
seen = []
def start(status, headers, exc=None):
    seen.append(status)
body = cherrypy.tree({"HTTP_HOST": "office", "REQUEST_METHOD": "GET", "PATH_INFO": "/", "SCRIPT_NAME": "", "QUERY_STRING": "", "SERVER_NAME": "x", "SERVER_PORT": "80", "SERVER_PROTOCOL": "HTTP/1.1", "REMOTE_ADDR": "127.0.0.1", "wsgi.version": (1, 0), "wsgi.url_scheme": "http", "wsgi.input": io.BytesIO(), "wsgi.errors": io.StringIO(), "wsgi.multithread": False, "wsgi.multiprocess": False, "wsgi.run_once": False}, start)
print(b"".join(body).decode(), seen)
