"""Sparring: bench tests on gearboxes and gearmotors."""

import os

# we use none, and looking for them costs the start
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

__version__ = "0.1.0"
