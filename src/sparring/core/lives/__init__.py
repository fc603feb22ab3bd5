"""Lives of several specimens: `weibull` fits them, `few` says what few can say, `loads` lays a line
of life over load, `cycles` counts the load spectrum of a recording.
"""
