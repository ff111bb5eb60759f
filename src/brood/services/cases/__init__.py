"""A recorded case: what stands in it, its plan, its page, what is recorded in it."""
