"""What a plant has, from signs; which check to do next; how bad it is."""
