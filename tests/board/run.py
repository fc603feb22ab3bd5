"""Runs the board's program under MicroPython on the pins of `machine.py` here: `run.py BOARD`."""

import sys

here = __file__.rpartition("/")[0]
sys.path[:0] = [here, sys.argv[1]]

import bench
import parts
from machine import WORLD

parts.ticks_us = lambda: WORLD.now
_act = bench.Bench._act


def act(self, word, value):
    """What a person does when the program asks for a weight."""
    refused, shown = _act(self, word, value)
    if word == "hang" and not refused:
        WORLD.mass = value
    return refused, shown


bench.Bench._act = act
import main
