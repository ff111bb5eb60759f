"""A case: its page, its course, a rehearsal."""
