"""The parts on the wires, each read without waiting."""

from time import ticks_diff, ticks_us

try:
    from machine import disable_irq, enable_irq
except ImportError:  # a port without interrupts

    def disable_irq():
        return None

    def enable_irq(_state):
        pass


class Amplifier:
    """A load-cell amplifier of 24 bits with a clock and a data line. The data line goes low when a
    reading is ready; 24 clock pulses fetch it, one more asks for gain 128 next time.
    """

    def __init__(self, data, clock):
        self.data, self.clock = data, clock
        clock.value(0)

    def read(self):
        """Counts, or None while no new reading is ready."""
        if self.data.value():
            return None
        counts = 0
        state = disable_irq()  # a clock held high for 60 us would switch the amplifier off
        for _ in range(24):
            self.clock.value(1)
            counts = counts << 1 | self.data.value()
            self.clock.value(0)
        self.clock.value(1)
        self.clock.value(0)
        enable_irq(state)
        return counts - (1 << 24) if counts & 0x800000 else counts


class PulseSensor:
    """Pulses of a shaft. Speed is pulses over the time between the first and the last of them, so
    it does not step with the number that falls into one line.
    """

    SILENT = 0.5  # s

    def __init__(self, pin, per_revolution):
        self.per_revolution = per_revolution
        self.count = 0
        self.last, self._from = ticks_us(), None
        self._counted = 0
        self.rpm = 0.0
        pin.irq(self._pulse, pin.IRQ_RISING)

    def _pulse(self, _pin):
        self.last = ticks_us()
        self.count += 1

    def read(self):
        """rpm since the last reading that had a pulse."""
        state = disable_irq()
        count, last = self.count, self.last
        enable_irq(state)
        new = count - self._counted
        if self._from is None:  # the first pulse only begins the count
            if new:
                self._counted, self._from = count, last
            return 0.0
        passed = ticks_diff(last, self._from)
        if new and passed > 0:
            self.rpm = 60e6 * new / passed / self.per_revolution
            self._counted, self._from = count, last
        else:
            still = ticks_diff(ticks_us(), self._from)
            if still > self.SILENT * 1e6:
                self.rpm, self._from = 0.0, None
            elif still > 0:  # it cannot be faster than one pulse in this time
                self.rpm = min(self.rpm, 60e6 / still / self.per_revolution)
        return self.rpm

    def moves(self):
        """The drive starts: silence counts from now."""
        self.last, self._from, self._counted, self.rpm = ticks_us(), None, self.count, 0.0

    def silent(self):
        """Seconds since the last pulse."""
        return ticks_diff(ticks_us(), self.last) / 1e6


class Monitor:
    """A current monitor on I2C: register 1 is the voltage over the shunt in steps of 10 uV, signed;
    register 2, from bit 3 on, the voltage behind it in steps of 4 mV.
    """

    def __init__(self, i2c, address, shunt):
        self.i2c, self.address, self.shunt = i2c, address, shunt

    def _register(self, number):
        high, low = self.i2c.readfrom_mem(self.address, number, 2)
        return high << 8 | low

    def read(self):
        """(V, A); (nan, nan) where it does not answer."""
        try:
            drop, bus = self._register(1), self._register(2)
        except OSError:
            return float("nan"), float("nan")
        if drop & 0x8000:
            drop -= 0x10000
        return (bus >> 3) * 4e-3, drop * 10e-6 / self.shunt


class Drive:
    """A motor driver with pulse width, direction and enable."""

    def __init__(self, pwm, forward, enable, supply):
        self.pwm, self.forward, self.enable, self.supply = pwm, forward, enable, supply
        self.stop()

    def go(self, volts, forward):
        self.forward.value(1 if forward else 0)
        self.pwm.duty_u16(min(65535, int(65535 * volts / self.supply)))
        self.enable.value(1)

    def stop(self):
        self.enable.value(0)
        self.pwm.duty_u16(0)
