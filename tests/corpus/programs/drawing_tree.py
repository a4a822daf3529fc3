import pyglet
pyglet.options['headless'] = True
print(pyglet.version > '1', pyglet.clock.get_default() is not None)
import pyglet.math, pyglet.event
