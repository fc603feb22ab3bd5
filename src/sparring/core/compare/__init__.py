"""Builds side by side. `figures` says what they are compared in, `comparison` lays them out and
says what is surely better (`apart`), `effects` what each factor does, `crossing` where that changes
over the load.
"""
