"""What looks see, what counts say of a course, and when a case is over."""
