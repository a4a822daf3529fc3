import os
os.environ['SDL_VIDEODRIVER'] = 'dummy'
os.environ['SDL_AUDIODRIVER'] = 'dummy'
import pygame
pygame.init()
s = pygame.display.set_mode((64, 64))
f = pygame.font.Font(None, 20)
print(f.render('Petrel', True, (255, 255, 255)).get_width() > 5, pygame.font.get_default_font())
pygame.quit()
