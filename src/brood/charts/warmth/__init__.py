"""Charts of temperatures."""
