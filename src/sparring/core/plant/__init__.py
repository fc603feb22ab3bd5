"""The simulated bench's physics: one plant, used live by the bench process and offline by demo, CLI
and tests.
"""
