"""What is connected where, and the limits of this bench. Edit this file for your own wiring."""

# Pins, by number
CELL_DATA, CELL_CLOCK = 4, 5  # load-cell amplifier, 24 bits on two wires
PULSES = 6  # pulse sensor on the output shaft
SDA, SCL = 8, 9  # current monitor on I2C
PWM, FORWARD, ENABLE = 10, 11, 12  # motor driver; ENABLE low cuts the motor
TOP, BOTTOM = 14, 15  # switches at the ends of the travel, closed to ground; None: not there

# Sensors
PULSES_PER_REVOLUTION = 12
MONITOR_ADDRESS = 0x40
SHUNT = 0.010  # ohm, between supply and motor driver

# Drive and limits
SUPPLY = 12.0  # V; `drive 6` is half of it
CURRENT_LIMIT = 5.0  # A, over 50 ms: the board stops by itself
STALLED_AFTER = 1.0  # s without a pulse while driven
LONGEST_RUN = 20.0  # s
LINES_PER_SECOND = 80
