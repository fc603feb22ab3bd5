"""From recordings to points, curves, stall and losses."""
