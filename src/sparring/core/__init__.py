"""The physics and the records. No Qt, no files, no sockets, no clock. SI
floats, radians, kelvin."""
