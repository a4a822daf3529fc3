import django
from django.conf import settings
from django.template import Context, Engine

settings.configure(INSTALLED_APPS=["django.contrib.contenttypes", "django.contrib.auth"], USE_TZ=True)
django.setup()
print(Engine().from_string("{{ x|floatformat:1 }} {{ when|date:'Y' }}").render(Context({"x": 3.14159})))
