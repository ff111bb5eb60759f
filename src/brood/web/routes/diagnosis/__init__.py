"""Looking a plant over."""
