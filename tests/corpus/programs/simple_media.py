import os
os.environ["SDL_VIDEODRIVER"] = "dummy"
import sdl2
import sdl2.ext
print(sdl2.SDL_Init(sdl2.SDL_INIT_VIDEO))
window = sdl2.ext.Window("Tides", size=(64, 48))
print(window.size)
sdl2.SDL_Quit()
