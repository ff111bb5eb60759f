"""Charts of treatments."""
