"""Pictures of the field guide."""
