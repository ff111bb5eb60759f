"""Forms of the season."""
