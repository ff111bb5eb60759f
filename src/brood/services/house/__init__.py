"""The household: plants, places, neighbours, plants kept apart."""
