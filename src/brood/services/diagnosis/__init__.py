"""Looking a plant over, and what it could have."""
