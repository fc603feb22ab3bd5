"""A module a format that is read."""
