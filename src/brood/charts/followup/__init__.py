"""Charts of looking again."""
