"""The demo: Hollin Yard, a workshop that makes electric openers for greenhouse roof vents. All of
it is invented.
"""

from sparring.demo.hollin_yard import make_logbook

__all__ = ["make_logbook"]
