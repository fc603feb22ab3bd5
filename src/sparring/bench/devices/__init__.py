"""Several devices that are one bench."""
