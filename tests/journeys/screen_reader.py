"""What a screen reader is told of the program: a line of JSON for each object that it can walk to.
Run by the system's Python, whose `pyatspi` speaks to the accessibility bus, with its name.
"""

import json
import sys
import time

import pyatspi


def application(name):
    """Waits until the program is on the bus."""
    for _ in range(300):
        for app in pyatspi.Registry.getDesktop(0):
            if app is not None and app.name.casefold() == name:
                return app
        time.sleep(0.2)
    raise SystemExit(f"no {name} on the accessibility bus")


def walk(thing, path=()):
    try:
        states = {str(pyatspi.stateToString(s)) for s in thing.getState().getStates()}
        here = {
            "role": thing.getRoleName(),
            "name": thing.name or "",
            "description": thing.description or "",
            "focusable": "focusable" in states,
            "visible": "visible" in states,
            "path": " > ".join(path),
        }
        children = [thing.getChildAtIndex(i) for i in range(min(thing.childCount, 300))]
    except Exception as err:  # it went while it was looked at
        here, children = {"role": "gone", "name": str(err)}, []
    print(json.dumps(here))
    words = here["name"] or here["role"]
    if here["role"] in ("table", "tree table", "list") and len(children) > 40:
        children = children[:40]  # the rest are cells of the same sort
    for child in children:
        if child is not None:
            walk(child, (*path, words))


walk(application(sys.argv[1]))
