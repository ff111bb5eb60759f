"""The season: when pests come back, what keeps them off, and when to look."""
