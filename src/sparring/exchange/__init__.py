"""What goes in and out of a logbook as open files; window and command line use the same lists."""
