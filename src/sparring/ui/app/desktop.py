"""What the desktop's own settings ask of a program."""

from __future__ import annotations

_ASKED = (
    ("org.freedesktop.appearance", "reduced-motion", 1),
    ("org.gnome.desktop.interface", "enable-animations", False),
)
"""(namespace, key, value that asks for reduced motion) of the desktop's settings portal."""
_PATIENCE = 500  # [ms]


def desktop_wants_calm() -> bool:
    """Whether the desktop asks for reduced motion; False where there is nobody to ask. Off the
    window's thread: it waits for an answer.
    """
    from PyQt6.QtDBus import QDBus, QDBusConnection, QDBusMessage

    bus = QDBusConnection.sessionBus()
    if not bus.isConnected():
        return False
    for namespace, key, calm in _ASKED:
        ask = QDBusMessage.createMethodCall(
            "org.freedesktop.portal.Desktop",
            "/org/freedesktop/portal/desktop",
            "org.freedesktop.portal.Settings",
            "Read",
        )
        ask.setArguments([namespace, key])
        answer = bus.call(ask, QDBus.CallMode.Block, _PATIENCE)
        if answer.type() == QDBusMessage.MessageType.ReplyMessage and answer.arguments():
            value = answer.arguments()[0]
            while hasattr(value, "variant"):  # a variant in a variant
                value = value.variant()
            if value == calm:
                return True
    return False
