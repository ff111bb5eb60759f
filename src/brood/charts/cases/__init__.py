"""Charts of a case: the brood, its numbers, and what its chance depends on."""
