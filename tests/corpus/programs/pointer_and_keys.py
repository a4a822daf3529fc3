import os
os.environ["PYNPUT_BACKEND"] = "dummy"
from pynput import keyboard, mouse
print(keyboard.Key.enter, mouse.Button.left.name)
os.environ.pop("PYNPUT_BACKEND")
