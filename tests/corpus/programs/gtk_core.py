import gi

gi.require_version("GLib", "2.0")
from gi.repository import GLib, Gio

print(GLib.Variant("i", 4).unpack(), Gio.File.new_for_path("/x").get_path())
