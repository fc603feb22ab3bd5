"""The window. Draws and asks; computes nothing."""
