import os
os.environ["ETS_TOOLKIT"] = "null"
from traits.api import HasTraits, Int, Str, observe
from traitsui.api import Item, View

class Berth(HasTraits):
    name = Str
    length = Int(3)
    view = View(Item("name"), Item("length"))

    @observe("length")
    def _told(self, event):
        print("length", event.new)

berth = Berth(name="North")
berth.length = 12
print(berth.trait_view("view").content.content[0].content[0].name if hasattr(berth.trait_view("view").content.content[0], "content") else "item")
from pyface.toolkit import toolkit_object
from traits.etsconfig.api import ETSConfig
ETSConfig.toolkit = "null"
print(toolkit_object("clipboard:Clipboard").__name__)
