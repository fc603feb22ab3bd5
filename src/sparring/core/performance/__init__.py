"""What a drive does anywhere in its range, by the one model that its test's steps have sharpened:
curves at any voltage, an efficiency map, losses by cause, what it carries for ever.
"""
