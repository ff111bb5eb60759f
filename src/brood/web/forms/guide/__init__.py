"""The field guide and help."""
