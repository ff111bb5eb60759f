"""Drawings for looking a plant over."""
