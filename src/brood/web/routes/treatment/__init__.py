"""Choosing, mixing and doing a treatment."""
