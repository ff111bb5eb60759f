"""The season: the year, sightings, the journal."""
