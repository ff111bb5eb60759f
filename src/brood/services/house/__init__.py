"""The household: today, plants, places, neighbours, plants kept apart."""
