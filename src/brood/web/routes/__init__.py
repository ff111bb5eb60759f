"""One file for each screen."""
