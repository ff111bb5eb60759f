"""Look-ups that several services share; they return values or rows, and never commit."""
