"""Pictures of the season."""
