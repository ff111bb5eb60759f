"""Recipes: concentrations, volumes and measures."""
