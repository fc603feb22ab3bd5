"""Pins, a bus and a bench behind them, for MicroPython without a board: what `main.py` of the board
finds on its wires when it imports `machine`.

The bench is a hoist whose motor follows one straight line: speed falls and current rises with the
torque. It shares no code with Sparring.
"""

from time import ticks_diff, ticks_us

import settings

GRAVITY, RADIUS, TRAVEL = 9.81, 0.025, 0.45  # m/s2, m, m
FREE, SLOPE = 120.0, 30.0  # rpm at 12 V, rpm per N m
IDLE, PER_TORQUE = 0.15, 0.9  # A, A per N m
ZERO, PER_NEWTON = 84120.0, 2100.0  # counts
READING = 12500  # us between two of the amplifier
REFUSED = 3.0  # kg that it does not lift


class World:
    def __init__(self):
        self.mass = self.height = self.turned = self.volts = 0.0
        self.direction, self.on = 1, False
        self.at = self.read_at = ticks_us()
        self.now = self.at  # the moment that is acted out
        self.pulse, self.counted = None, 0
        self.bits, self.left = 0, 0

    def speed(self):
        """rpm, with its sign."""
        if not self.on or self.volts < 0.5:
            return 0.0
        torque = self.mass * GRAVITY * RADIUS
        if self.direction < 0:
            return -FREE * self.volts / 12.0
        return 0.0 if self.mass > REFUSED else FREE * self.volts / 12.0 - SLOPE * torque

    def amps(self):
        if not self.on or self.volts < 0.5:
            return 0.0
        torque = self.mass * GRAVITY * RADIUS if self.direction > 0 else 0.0
        return IDLE + PER_TORQUE * torque * (8.0 if self.mass > REFUSED else 1.0)

    def advance(self):
        """To the present, a step at a time, with the pulses at their own moments."""
        end = ticks_us()
        while ticks_diff(end, self.at) > 0:
            step = min(500, ticks_diff(end, self.at))
            self.at += step
            turns = self.speed() / 60.0 * step / 1e6
            self.height = max(0.0, self.height + turns * 6.283185307 * RADIUS)
            self.turned += abs(turns)
            whole = int(self.turned * settings.PULSES_PER_REVOLUTION)
            while self.counted < whole:
                self.counted += 1
                self.now = self.at
                if self.pulse:
                    self.pulse(None)
        self.now = end

    def counts(self):
        hangs = self.mass * GRAVITY if self.height > 0.005 or self.speed() else 0.0
        return int(ZERO + PER_NEWTON * hangs + (self.at // 7) % 9 - 4)


WORLD = World()


class Pin:
    IN, OUT, PULL_UP, IRQ_RISING = 0, 1, 2, 4

    def __init__(self, number, mode=0, pull=0, value=0):
        self.number, self.state = number, value

    def irq(self, handler, _trigger):
        WORLD.pulse = handler

    def value(self, new=None):
        WORLD.advance()
        number = self.number
        if new is not None:
            if number == settings.CELL_CLOCK and new and not self.state:
                WORLD.left -= 1
            elif number == settings.FORWARD:
                WORLD.direction = 1 if new else -1
            elif number == settings.ENABLE:
                WORLD.on = bool(new)
            self.state = new
            return None
        if number == settings.CELL_DATA:
            if WORLD.left > 0:  # being fetched
                return (WORLD.bits >> (WORLD.left - 1)) & 1
            if ticks_diff(WORLD.at, WORLD.read_at) < READING:
                return 1
            WORLD.read_at = WORLD.at
            WORLD.bits, WORLD.left = WORLD.counts() & 0xFFFFFF, 25
            return 0
        if number == settings.TOP:
            return 0 if WORLD.height >= TRAVEL else 1
        if number == settings.BOTTOM:
            return 0 if WORLD.height <= 0.0 else 1
        return self.state


class PWM:
    def __init__(self, pin, freq):
        self.pin = pin

    def duty_u16(self, duty):
        WORLD.advance()
        WORLD.volts = settings.SUPPLY * duty / 65535


class I2C:
    def __init__(self, number, sda, scl, freq):
        self.registers = {}

    def readfrom_mem(self, address, register, size):
        WORLD.advance()
        if register == 1:
            shown = round(WORLD.amps() * settings.SHUNT / 10e-6)
        else:
            shown = round((WORLD.volts if WORLD.on else settings.SUPPLY) / 4e-3) << 3
        return bytes((shown >> 8 & 0xFF, shown & 0xFF))


class WDT:
    def __init__(self, timeout):
        self.timeout, self.fed = timeout, ticks_us()

    def feed(self):
        now = ticks_us()
        if ticks_diff(now, self.fed) > 1000 * self.timeout:
            raise SystemExit("the hardware watchdog has bitten")
        self.fed = now


def disable_irq():
    return 0


def enable_irq(_state):
    pass
