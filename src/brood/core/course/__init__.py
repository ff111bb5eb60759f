"""Treatment evenings: which dates, with what, how far each may move, and what they do."""
