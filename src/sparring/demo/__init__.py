"""The demo: Hollin Yard, a workshop that makes electric openers for greenhouse roof vents. All of
it is invented.
"""

from sparring.demo.making import begin, finish, make_logbook

__all__ = ["begin", "finish", "make_logbook"]
