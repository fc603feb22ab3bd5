"""A module a format that is written."""
