"""The household: today, plants, places, plants kept apart, settings."""
