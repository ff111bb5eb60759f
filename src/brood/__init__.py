"""Brood: from a found pest to dated treatment windows that catch hatchlings before they breed."""

__version__ = "0.20.3"
