"""Looking again."""
