"""The day: what to do now, what can wait, and the evenings that serve several plants."""
