"""Looking again: counts, what they say, why a course fails, when it is over."""
