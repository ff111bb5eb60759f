"""The command `brood`: everything that the screens compute, for scripts."""
