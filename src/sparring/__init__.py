"""Sparring: bench tests on gearboxes and gearmotors."""

import os

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")  # we use none, and looking for them costs the start

__version__ = "0.1.0"
