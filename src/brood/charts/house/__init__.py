"""Charts of the household."""
