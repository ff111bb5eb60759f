"""How things are said to this keeper: words, chances, units, dates."""
