from pyramid.config import Configurator
from pyramid.response import Response
from pyramid.request import Request
with Configurator(settings={"pyramid.includes": "pyramid.tweens" if False else ""}) as config:
    config.add_route("tide", "/tide")
    config.add_view(lambda request: Response("High water"), route_name="tide")
    config.add_view(lambda request: {"height": 3}, route_name="tide", renderer="json", request_param="j")
    app = config.make_wsgi_app()
print(Request.blank("/tide").get_response(app).text, Request.blank("/tide?j=1").get_response(app).text)
