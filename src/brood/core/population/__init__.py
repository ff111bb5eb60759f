"""How many live, by stage and day, and the chance that they die out."""
