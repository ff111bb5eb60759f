"""Charts of a case: the brood, its numbers, what its chance rests on."""
