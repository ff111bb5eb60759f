"""The degree-day bench."""
