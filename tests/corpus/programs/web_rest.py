import django
from django.conf import settings
settings.configure(STATIC_URL="/s/", INSTALLED_APPS=["django.contrib.staticfiles", "django.contrib.contenttypes", "django.contrib.auth", "rest_framework"], TEMPLATES=[{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}], ROOT_URLCONF=__name__, SECRET_KEY="x", ALLOWED_HOSTS=["*"], DATABASES={}, REST_FRAMEWORK={"UNAUTHENTICATED_USER": None})
django.setup()
from django.urls import path
from rest_framework.response import Response
from rest_framework.decorators import api_view
from rest_framework import serializers

class Berth(serializers.Serializer):
    name = serializers.CharField()

@api_view(["GET"])
def berths(request):
    return Response(Berth([{"name": "North"}], many=True).data)

urlpatterns = [path("berths", berths)]
from django.test import Client
print(Client().get("/berths", HTTP_ACCEPT="application/json").content)
page = Client().get("/berths", HTTP_ACCEPT="text/html")
print(page.status_code, b"Django REST framework" in page.content)
