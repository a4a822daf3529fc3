import os
os.environ["KIVY_NO_ARGS"] = "1"
os.environ["KIVY_NO_CONSOLELOG"] = "1"
os.environ["KIVY_NO_FILELOG"] = "1"
from kivy.event import EventDispatcher
from kivy.properties import NumericProperty
from kivy.lang import Builder
from kivy.vector import Vector

class Tide(EventDispatcher):
    height = NumericProperty(0)

tide = Tide()
tide.bind(height=lambda _, value: print("height", value))
tide.height = 3
print(Vector(3, 4).length())
