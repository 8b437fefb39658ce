#!/usr/bin/python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Stands in for a desktop that shows notifications: writes the first one down, and has a person open it.

usage: notification_service.py FILE
"""
import sys

from gi.repository import Gio, GLib

INTERFACE = Gio.DBusNodeInfo.new_for_xml("""<node><interface name='org.freedesktop.Notifications'>
<method name='Notify'><arg type='s' direction='in'/><arg type='u' direction='in'/><arg type='s' direction='in'/>
<arg type='s' direction='in'/><arg type='s' direction='in'/><arg type='as' direction='in'/>
<arg type='a{sv}' direction='in'/><arg type='i' direction='in'/><arg type='u' direction='out'/></method>
<signal name='ActionInvoked'><arg type='u'/><arg type='s'/></signal></interface></node>""")
loop = GLib.MainLoop()


def called(bus, _sender, path, interface, _method, arguments, invocation):
    said = arguments.unpack()
    with open(sys.argv[1], "w") as out:
        out.write("\n".join([said[0], said[3], said[4], *said[5]]))
    invocation.return_value(GLib.Variant("(u)", (7,)))

    def opened():
        bus.emit_signal(None, path, interface, "ActionInvoked", GLib.Variant("(us)", (7, "default")))
        return False

    GLib.timeout_add(200, opened)


def acquired(bus, _name):
    bus.register_object("/org/freedesktop/Notifications", INTERFACE.interfaces[0], called)


Gio.bus_own_name(Gio.BusType.SESSION, "org.freedesktop.Notifications", Gio.BusNameOwnerFlags.NONE, acquired, None, None)
GLib.timeout_add_seconds(60, loop.quit)
loop.run()
