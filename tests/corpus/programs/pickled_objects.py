import copy
import pickle


class Ship:
    def __init__(self, name):
        self.name = name


print(pickle.loads(pickle.dumps(Ship("Gannet"))).name, copy.deepcopy(Ship("Tern")).name)
