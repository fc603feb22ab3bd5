"""A bench board for Sparring: load cell, pulse sensor and current monitor in, motor driver out.

Copy the four files of this folder to a board that runs MicroPython, with your wiring in
settings.py. It speaks on its USB port. The hardware watchdog resets a board that hangs, and the
reset leaves the motor driver disabled.
"""

import select
import sys
import time

import settings
from bench import COLUMNS, Bench
from machine import I2C, PWM, WDT, Pin
from parts import Amplifier, Drive, Monitor, PulseSensor


def closed(number):
    """Whether the switch on this pin is closed to ground."""
    if number is None:
        return lambda: False
    pin = Pin(number, Pin.IN, Pin.PULL_UP)
    return lambda: not pin.value()


def say(line):
    sys.stdout.write(line + "\n")


def parts():
    cell = Amplifier(Pin(settings.CELL_DATA, Pin.IN), Pin(settings.CELL_CLOCK, Pin.OUT))
    pulses = PulseSensor(Pin(settings.PULSES, Pin.IN), settings.PULSES_PER_REVOLUTION)
    i2c = I2C(0, sda=Pin(settings.SDA), scl=Pin(settings.SCL), freq=400_000)
    monitor = Monitor(i2c, settings.MONITOR_ADDRESS, settings.SHUNT)
    drive = Drive(
        PWM(Pin(settings.PWM), freq=20_000),
        Pin(settings.FORWARD, Pin.OUT),
        Pin(settings.ENABLE, Pin.OUT, value=0),
        settings.SUPPLY,
    )
    return cell, pulses, monitor, drive


def run():
    bench = Bench(
        say, parts(), settings, closed(settings.TOP), closed(settings.BOTTOM), str(time.ticks_us())
    )
    say("# columns: " + COLUMNS)
    dog = WDT(timeout=2000)
    keys = select.poll()
    keys.register(sys.stdin, select.POLLIN)
    period = 1000 // settings.LINES_PER_SECOND
    due, line = time.ticks_ms(), ""
    while True:
        dog.feed()
        bench.look()
        wait = time.ticks_diff(due, time.ticks_ms())
        if keys.poll(max(0, min(wait, 2))):
            letter = sys.stdin.read(1)
            if not letter:  # the port was closed
                bench.obey("stop")
                return
            if letter == "\n":
                bench.obey(line)
                line = ""
            elif len(line) < 80:
                line += letter
        if time.ticks_diff(due, time.ticks_ms()) <= 0:
            bench.sample()
            due = time.ticks_add(due, period)
            if time.ticks_diff(time.ticks_ms(), due) > 200:  # it was busy: no burst of old lines
                due = time.ticks_ms()


run()
