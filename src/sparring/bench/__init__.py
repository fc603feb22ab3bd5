"""Live devices: the link, the lines it speaks, the recorder, and the simulated bench."""
