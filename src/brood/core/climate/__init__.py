"""Temperatures: by the hour, as degree-days, and read from tables."""
