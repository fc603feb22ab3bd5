"""Formats in and out: record files, logs of other loggers, results."""
