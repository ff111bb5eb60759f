"""The temperatures of places: from thermometers, loggers, sensors, the weather."""
