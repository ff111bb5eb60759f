"""The record: kept, printed, exported, shared."""
