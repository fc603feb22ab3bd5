"""Simulated devices: processes that speak as real ones do."""
