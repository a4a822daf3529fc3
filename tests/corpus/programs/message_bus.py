import dbus, dbus.mainloop.glib
print(dbus.String('a'), dbus.version > (1, 2))
try:
    dbus.SessionBus()
except dbus.DBusException as e:
    print(e.get_dbus_name())
